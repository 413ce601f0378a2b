"""What pages ask of the bureau: offers, orders within a spending limit, what to do with what came back."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import httpx
from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.networks.cards import cards
from enamel.core.schedule import Coat, address
from enamel.kiln import lines
from enamel.kiln.models import Layer, SentCoat, SpendingLimit
from enamel.kiln.tasks import enqueue_sent_coat

ASKED_SECONDS = 5.0
"""Patience with the bureau while somebody waits for a page."""
KEPT_SECONDS = 30
"""For so long terms and account are not asked for again, nor a bureau that did not answer."""
MOST_CENTS = 10_000_000
"""More than any coat can cost; an offer beyond is a mistake."""
MOST_NUMBER = 60
MOST_LIMIT_CENTS = 1_000_000
BYTES_PER_SAMPLE = 2
State = SentCoat.State


@dataclass(frozen=True, slots=True)
class Account:
    """How things stand with money, in cents."""

    balance_cents: int | None
    """At the bureau, as it says; None where it does not answer."""
    currency: str
    spent_cents: int
    """By the artist this month, coats under way included."""
    limit_cents: int

    @property
    def left_cents(self) -> int:
        """What the artist may still spend this month."""
        return max(0, self.limit_cents - self.spent_cents)


def account(owner_id: int) -> Account:
    """What an artist has spent this month, and what the house has at the bureau."""
    said = _remembered("/v1/account")
    return Account(
        balance_cents=said.get("balance_cents") if said else None,
        currency=str(said.get("currency", "EUR")) if said else "EUR",
        spent_cents=SentCoat.objects.spent_cents(owner_id, _this_month()),
        limit_cents=SpendingLimit.of(owner_id),
    )


def open_for_business() -> bool:
    """Whether the bureau answers, as far as that was seen a moment ago."""
    return _remembered("/v1/terms") is not None


def set_limit(owner_id: int, cents: int) -> None:
    """Change what an artist means to spend in a month."""
    if not 0 <= cents <= MOST_LIMIT_CENTS:
        raise Refusal(f"The limit can be from 0 to {MOST_LIMIT_CENTS // 100} a month.")
    SpendingLimit.objects.update_or_create(owner_id=owner_id, defaults={"cents": cents})


def ask_for_offer(start: Layer, coat: Coat) -> SentCoat:
    """An offer for laying a coat on a layer. Only figures are told: sizes and settings, no pixels, no words.

    Raises
    ------
    Refusal
        When the bureau does not answer or does not do such a coat, in its words.
    """
    sent = _offered(start, coat)
    sent.save()
    return sent


def _offered(start: Layer, coat: Coat) -> SentCoat:
    bare = {"width": start.width, "height": start.height, "coat": to_json(coat.bare)}
    with lines.client(settings.BUREAU, timeout=ASKED_SECONDS, key=settings.BUREAU_KEY) as client:
        try:
            terms = client.get("/v1/terms")
            answer = client.post("/v1/offers", json=bare)
        except httpx.HTTPError:
            raise Refusal(
                "The bureau does not answer, so there is no offer. Nothing left the house; fire the coat "
                "here, or ask again later."
            ) from None
    if answer.is_error or terms.is_error:
        refused = answer if answer.is_error else terms
        raise Refusal(f"The bureau makes no offer: {lines.reason(refused)} Nothing left the house.")
    try:
        offer = answer.json()
        number, cents = str(offer["number"]), int(offer["cents"])
        if not 0 <= cents <= MOST_CENTS or len(number) > MOST_NUMBER:
            raise ValueError
        return SentCoat(
            piece=start.piece, start=start, frozen=to_json(coat), terms=dict(terms.json()),
            offer=number, cents=cents, currency=str(offer["currency"])[:3],
            seconds=float(offer["seconds"]),
            expires=timezone.now() + timedelta(seconds=float(offer["expires_in"])),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, OverflowError):
        raise Refusal("The bureau's offer can't be read. Nothing left the house.") from None


def order(sent: SentCoat) -> None:
    """Take an offer: within the month's limit, and once, however often it is asked for.

    Raises
    ------
    Refusal
        When the offer has expired or would go beyond the limit. Nothing is sent then.
    """
    with transaction.atomic():
        # the artist's limit is the lock, so that two offers at once can't both just fit
        owner = sent.piece.owner_id
        SpendingLimit.objects.get_or_create(owner_id=owner)
        limit = SpendingLimit.objects.select_for_update().get(owner_id=owner)
        locked = SentCoat.objects.select_for_update().get(pk=sent.pk)
        if locked.state != State.OFFERED:
            return
        if locked.expired:
            raise Refusal("This offer has expired. Nothing was sent; ask for another.")
        spent = SentCoat.objects.spent_cents(owner, _this_month())
        if spent + locked.cents > limit.cents:
            raise Refusal(
                f"This month's limit is {_money(limit.cents, locked)} and {_money(spent, locked)} of it "
                f"are spent; this offer of {_money(locked.cents, locked)} would go beyond. Nothing was "
                "sent; raise the limit, or fire the coat here."
            )
        now = timezone.now()
        locked.state, locked.ordered, locked.moved = State.WAITING, now, now
        locked.charged_cents = locked.cents
        locked.save(update_fields=["state", "ordered", "moved", "charged_cents"])
        enqueue_sent_coat(locked)


def take_back(sent: SentCoat) -> None:
    """Take an order back while it is under way; the bureau is told, and gives back what it charged."""
    with transaction.atomic():
        locked = SentCoat.objects.select_for_update().get(pk=sent.pk)
        if not locked.open:
            return
        locked.state, locked.ended, locked.news = State.LEFT, timezone.now(), ""
        locked.save(update_fields=["state", "ended", "news"])
        enqueue_sent_coat(locked)


def keep(sent: SentCoat) -> None:
    """Have a layer made of what came back, in spite of what speaks against it."""
    _open_again(sent, State.DOUBTED, "There is nothing here to be kept.")


def try_again(sent: SentCoat) -> None:
    """Go on with a coat that failed: it is the same order, charged once."""
    _open_again(sent, State.FAILED, "This coat did not fail, so it can't be tried again.")


def _open_again(sent: SentCoat, state: str, otherwise: str) -> None:
    with transaction.atomic():
        locked = SentCoat.objects.select_for_update().get(pk=sent.pk)
        if locked.state != state:
            raise Refusal(otherwise)
        locked.state = State.FETCHING if locked.pixels else State.WAITING
        locked.error, locked.spoilt, locked.moved = "", 0, timezone.now()
        locked.save(update_fields=["state", "error", "spoilt", "moved"])
        enqueue_sent_coat(locked)


def leave(sent: SentCoat) -> None:
    """Let an offer, or a coat that ended, be; what came back and was not kept is let go.

    What was charged still counts this month. Of a coat that failed the bureau is told.
    """
    if sent.open:
        raise Refusal("This coat is under way; take it back first.")
    for field in (sent.pixels, sent.preview):
        if field:
            field.storage.delete(str(field.name))
    if not sent.charged_cents:
        sent.delete()
        return
    if sent.state == State.FAILED:
        enqueue_sent_coat(sent)
    if sent.state != State.DONE:
        sent.state = State.LEFT
    sent.pixels, sent.preview = "", ""
    sent.save(update_fields=["state", "pixels", "preview"])


def other_models(sent: SentCoat) -> list[str]:
    """Names of models that the bureau has in another version than this house, so that pixels differ."""
    here = {card.name: card.sha256 for card in cards()}
    there = {one["name"]: one["sha256"] for one in sent.terms.get("models", [])}
    coat = sent.coat
    used = [coat.upscaler, *([coat.mix.upscaler] if coat.mix else [])]
    used += [coat.refinement.model] if coat.refinement else []
    return [name for name in used if here.get(name, "") != there.get(name, "")]


def megabytes(sent: SentCoat) -> float:
    """At most so much leaves the house: 16 bits a sample; packed without loss it is less."""
    return sum(layer.size.megapixels * BYTES_PER_SAMPLE * 3 for layer in sent.files.values())


def _this_month() -> datetime:
    return timezone.localtime().replace(day=1, hour=0, minute=0, second=0, microsecond=0)


def _money(cents: int, sent: SentCoat) -> str:
    return f"{cents / 100:.2f} {sent.currency}"


def _remembered(path: str) -> dict[str, Any] | None:
    """What the bureau says at an address; None while it does not answer. Asked for now and then."""
    key = f"bureau-{address(settings.BUREAU, path)}"
    kept: tuple[dict[str, Any] | None] | None = cache.get(key)
    if kept is None:
        try:
            with lines.client(settings.BUREAU, timeout=2.0, key=settings.BUREAU_KEY) as client:
                kept = (client.get(path).raise_for_status().json(),)
        except (httpx.HTTPError, ValueError):
            kept = (None,)
        cache.set(key, kept, KEPT_SECONDS)
    return kept[0]
