"""Print files and their orders, made ready for the pages that list them."""

from collections.abc import Iterable
from typing import Any

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser

from enamel.kiln.models import OutputPreset, Piece, PrintFile, ShopOrder
from enamel.kiln.models.prints import KEPT
from enamel.kiln.outside.answers import PriceList
from enamel.kiln.shop import price_list

MOST_PIECES = 200
FACTS = {
    "kind": "Kind", "pages": "Pages", "trim_mm": "Size after trimming, mm", "bleed_mm": "Bleed, mm",
    "ppi": "Resolution in print, ppi", "output_intent": "Output intent", "ink": "Most ink, %",
    "title": "Title",
}  # fmt: skip
"""What shops found in a file, by what it is called on the page."""


def files_shown(owner: AbstractBaseUser, files: Iterable[PrintFile]) -> dict[str, Any]:
    """The page of all print files."""
    listed = list(files)
    return {
        "files": listed,
        "kept_days": KEPT.days,
        "outputs": OutputPreset.objects.filter(owner_id=owner.pk),
        "pieces": Piece.objects.of(owner).order_by("-created").with_newest_layer()[:MOST_PIECES],
        "put_out": settings.PRINT_FOLDER,
        "total": sum(made.file.size for made in listed if made.file),
    }


def order_shown(order: ShopOrder) -> dict[str, Any]:
    """What a shop said of a file."""
    said = order.said
    facts = said.get("facts") or {}
    price = said.get("price") or {}
    prices = price_list().answer
    paper = (
        next((one for one in prices.papers if one.name == order.paper), None) if prices else None
    )
    return {
        "order": order,
        "made": order.print_file,
        "piece": order.print_file.layer.piece,
        "paper": paper.title if paper else order.paper.capitalize(),
        "reasons": said.get("reasons") or [],
        "facts": [(word, _words(facts[name])) for name, word in FACTS.items() if facts.get(name)],
        "price": f"{price['cents'] / 100:.2f} {price['currency']}" if price else "",
    }


def _words(value: Any) -> str:
    """A fact as people read it: several of the same once, sizes with a cross."""
    if isinstance(value, list):
        numbers = list(dict.fromkeys(f"{one:g}" for one in value))
        return " × ".join(numbers) if len(value) == 2 else ", ".join(numbers[:6])
    return str(value)


def papers_of(prices: PriceList | None) -> list[tuple[str, str]]:
    """The shop's papers with their price, for a list."""
    if prices is None:
        return []
    return [
        (one.name, f"{one.title}, {one.cents_per_m2 / 100:.0f} {prices.currency} per m²")
        for one in prices.papers
    ]
