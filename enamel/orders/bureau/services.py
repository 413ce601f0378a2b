"""What artists may do with coats at the bureau: ask for offers, order within a limit, cancel, keep, leave."""

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.utils import timezone

from enamel.accounts.audit import record
from enamel.accounts.models import AuditEntry
from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.networks.cards import cards
from enamel.core.schedule import Coat
from enamel.jobs import services as jobs
from enamel.library.models import Layer
from enamel.orders.clients import answers
from enamel.orders.clients.last_answers import ACCOUNT, TERMS, LastAnswer, last_answer
from enamel.orders.models import SentCoat, SpendingLimit

MOST_LIMIT_CENTS = 1_000_000
BYTES_PER_SAMPLE = 2
State = SentCoat.State


@dataclass(frozen=True, slots=True)
class Account:
    """The balance and what was spent, in cents."""

    at_bureau: LastAnswer[answers.Account]
    """The workshop's account at the bureau, as last answered, with its age."""
    spent_cents: int
    """Spent by the artist this month, with coats under way."""
    limit_cents: int

    @property
    def balance_cents(self) -> int | None:
        """The balance at the bureau; None where that is not known."""
        return self.at_bureau.answer.balance_cents if self.at_bureau.answer else None

    @property
    def currency(self) -> str:
        return self.at_bureau.answer.currency if self.at_bureau.answer else "EUR"

    @property
    def left_cents(self) -> int:
        """What the artist may still spend this month."""
        return max(0, self.limit_cents - self.spent_cents)


def account(owner_id: int) -> Account:
    """Return what an artist has spent this month, and the account at the bureau as last answered."""
    return Account(
        at_bureau=last_answer(ACCOUNT, answers.Account),
        spent_cents=SentCoat.objects.spent_cents(owner_id, _this_month()),
        limit_cents=SpendingLimit.of(owner_id),
    )


def terms() -> LastAnswer[answers.Terms]:
    """Return the bureau's terms, as last answered."""
    return last_answer(TERMS, answers.Terms)


def set_limit(owner_id: int, cents: int) -> None:
    """Change an artist's monthly spending limit."""
    if not 0 <= cents <= MOST_LIMIT_CENTS:
        raise Refusal(f"The limit can be from 0 to {MOST_LIMIT_CENTS // 100} a month.")
    SpendingLimit.objects.update_or_create(owner_id=owner_id, defaults={"cents": cents})


def ask_for_offer(start: Layer, coat: Coat) -> SentCoat:
    """Submit a request for an offer for a coat on a layer. A worker sends it. Only sizes and settings are
    sent: no pixels, no prompts.
    """
    sent = SentCoat(piece=start.piece, start=start, frozen=to_json(coat), state=State.ASKING)
    jobs.submit(sent)
    return sent


def order(sent: SentCoat) -> None:
    """Accept an offer within the monthly limit, and once only, however often this is called.

    Raises
    ------
    Refusal
        When the offer has expired or would go beyond the limit. Nothing is sent then.
    """
    with transaction.atomic():
        # the artist's limit is locked, so that of two offers at once not both can just fit
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
        jobs.enqueue_job(locked)
        subject = f"{locked.piece.title}, {_money(locked.cents, locked)}"
        record(locked.piece.owner, AuditEntry.Action.COAT_ORDERED, subject)


def cancel(sent: SentCoat) -> None:
    """Cancel an order that is under way. A worker repeats the request until it is known what the bureau
    still charges.
    """
    with transaction.atomic():
        if sent.transition(
            State.CANCELLING, only_from=SentCoat.UNDER_WAY, news="", moved=timezone.now()
        ):
            jobs.enqueue_job(sent)


def keep(sent: SentCoat) -> None:
    """Make a layer of a result in spite of the findings against it."""
    _open_again(sent, State.DOUBTED, "There is nothing here to be kept.")


def try_again(sent: SentCoat) -> None:
    """Resume a coat that failed: it is the same order, charged once."""
    _open_again(sent, State.FAILED, "This coat did not fail, so it can't be tried again.")


def _open_again(sent: SentCoat, state: str, otherwise: str) -> None:
    with transaction.atomic():
        locked = SentCoat.objects.select_for_update().get(pk=sent.pk)
        if locked.state != state:
            raise Refusal(otherwise)
        locked.state = State.FETCHING if locked.pixels else State.WAITING
        locked.error, locked.spoilt, locked.moved = "", 0, timezone.now()
        locked.save(update_fields=["state", "error", "spoilt", "moved"])
        jobs.enqueue_job(locked)


def leave(sent: SentCoat) -> None:
    """Dismiss an offer, or a coat that has ended; a result that was not kept is deleted.

    What was charged still counts for this month. An order that failed is cancelled at the bureau.
    """
    if sent.under_way or sent.state == State.CANCELLING:
        raise Refusal("This coat is under way; cancel it first.")
    files = [field for field in (sent.pixels, sent.preview) if field]
    with transaction.atomic():
        locked = SentCoat.objects.select_for_update().get(pk=sent.pk)
        if locked.state != sent.state:
            return
        if locked.state == State.FAILED and (locked.charged_cents or locked.uncertain):
            locked.state, locked.moved, locked.news = State.CANCELLING, timezone.now(), ""
            jobs.enqueue_job(locked)
        elif not locked.charged_cents:
            locked.delete()
        elif locked.state != State.DONE:
            locked.state = State.LEFT
        if locked.pk:
            locked.pixels, locked.preview = "", ""
            locked.save(update_fields=["state", "moved", "news", "pixels", "preview"])
    for field in files:
        field.storage.delete(str(field.name))


def other_models(sent: SentCoat) -> list[str]:
    """Return the names of models that the bureau has in another version, so that pixels differ."""
    here = {card.name: card.sha256 for card in cards()}
    there = {one["name"]: one["sha256"] for one in sent.terms.get("models", [])}
    coat = sent.coat
    used = [coat.upscaler, *([coat.mix.upscaler] if coat.mix else [])]
    used += [coat.refinement.model] if coat.refinement else []
    return [name for name in used if here.get(name, "") != there.get(name, "")]


def megabytes(sent: SentCoat) -> float:
    """Return the most megabytes that are sent: 16 bits a sample. Lossless packing makes it less."""
    return sum(layer.size.megapixels * BYTES_PER_SAMPLE * 3 for layer in sent.files.values())


def _this_month() -> datetime:
    return timezone.localtime().replace(day=1, hour=0, minute=0, second=0, microsecond=0)


def _money(cents: int, sent: SentCoat) -> str:
    return f"{cents / 100:.2f} {sent.currency}"
