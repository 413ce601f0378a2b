"""The pages of orders: coats at the bureau, print files at the shop."""

from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.urls import reverse

from enamel.core.schedule import Schedule
from enamel.firings.services import predict_schedule
from enamel.orders.bureau import services as bureau
from enamel.orders.clients.answers import PriceList
from enamel.orders.models import SentCoat, ShopOrder
from enamel.orders.shop.services import price_list

MOST_LISTED = 60
FACTS = {
    "kind": "Kind", "pages": "Pages", "trim_mm": "Size after trimming, mm", "bleed_mm": "Bleed, mm",
    "ppi": "Resolution in print, ppi", "output_intent": "Output intent", "ink": "Most ink, %",
    "title": "Title",
}  # fmt: skip
"""Labels of what a shop finds in a file."""


def present_sent_coat(sent: SentCoat) -> dict[str, Any]:
    """Return the page of an offer, or of a coat that was sent out."""
    account = bureau.account(sent.piece.owner_id)
    refine = sent.coat.refinement
    return {
        "sent": sent,
        "piece": sent.piece,
        "picture": _picture(sent),
        "coat": sent.coat,
        "account": account,
        "after_cents": account.spent_cents + sent.cents,
        "too_much": sent.state == SentCoat.State.OFFERED and sent.cents > account.left_cents,
        "megabytes": bureau.megabytes(sent),
        "words": refine.words if refine else [],
        "masks": refine.masks if refine else 0,
        "other_models": bureau.other_models(sent),
        "here_seconds": predict_schedule(sent.start, Schedule((sent.coat,))).seconds,
    }


def present_bureau(artist: AbstractBaseUser) -> dict[str, Any]:
    """Return the page of all coats at the bureau."""
    known = SentCoat.objects.of(artist).select_related("piece", "start", "result")
    return {
        "account": bureau.account(artist.pk),
        "terms": bureau.terms(),
        "sent_coats": known[:MOST_LISTED],
    }


def _picture(sent: SentCoat) -> str:
    """Return the address of the result's picture, else of the picture that is sent."""
    if sent.preview:
        return reverse("sent-coat-came-back", args=[sent.pk])
    return reverse("laid-picture", args=[sent.start_id]) + "?plan=whole"


def present_order(order: ShopOrder) -> dict[str, Any]:
    """Return the shop's answer about a file, for its page."""
    answer = order.answer
    facts = answer.get("facts") or {}
    price = answer.get("price") or {}
    prices = price_list().answer
    paper = (
        next((one for one in prices.papers if one.name == order.paper), None) if prices else None
    )
    return {
        "order": order,
        "made": order.print_file,
        "piece": order.print_file.layer.piece,
        "paper": paper.title if paper else order.paper.capitalize(),
        "reasons": answer.get("reasons") or [],
        "facts": [(word, _words(facts[name])) for name, word in FACTS.items() if facts.get(name)],
        "price": f"{price['cents'] / 100:.2f} {price['currency']}" if price else "",
    }


def _words(value: Any) -> str:
    """Return a fact as text: equal values once, sizes with a cross."""
    if isinstance(value, list):
        numbers = list(dict.fromkeys(f"{one:g}" for one in value))
        return " × ".join(numbers) if len(value) == 2 else ", ".join(numbers[:6])
    return f"{value:g}" if isinstance(value, float) else str(value)


def papers_of(prices: PriceList | None) -> list[tuple[str, str]]:
    """Return the shop's papers with their price, for a list."""
    if prices is None:
        return []
    return [
        (one.name, f"{one.title}, {one.cents_per_m2 / 100:.0f} {prices.currency} per m²")
        for one in prices.papers
    ]
