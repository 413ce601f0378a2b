"""A coat at the bureau, carried on by workers: offer, order, upload, result, checks, layer, cancelling."""

import shutil
import time
from datetime import timedelta
from http import HTTPStatus
from pathlib import Path
from typing import Any
from urllib.parse import quote

from django.conf import settings
from django.core.files.base import ContentFile
from django.db import transaction
from django.utils import timezone

from enamel.core import ENGINE_VERSION
from enamel.core.checks.returned import compare_returned
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.fields import to_json
from enamel.core.files import hash_of
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.imaging.encoded import webp_of
from enamel.core.imaging.reduce import reduced
from enamel.core.intake.pixels import Limits, examine
from enamel.core.intake.reading import read_apart
from enamel.core.schedule import content_key
from enamel.firings.checking import check_layer
from enamel.library.layers import add_layer, canvas_in, canvas_of, prepare
from enamel.library.models import Layer
from enamel.orders.clients import answers, last_answers, sending
from enamel.orders.clients.client import Rejected, ServiceError, Unknown
from enamel.orders.clients.sending import send_file
from enamel.orders.models import SentCoat
from enamel.orders.turns import OrderClosed, OrderTurn
from enamel.storage.files import keep_file

SENT = Output(FileFormat.PNG, bits=16, metadata=False)
"""How pictures are sent: without metadata, which could name artist or subject."""
LONGEST_WAIT = timedelta(hours=6)
"""Time without progress after which a coat is given up."""
MOST_SPOILT = 3
"""Number of results with a wrong checksum after which the coat is given up."""
MOST_BYTES = 4 * 10**9
ANY = 10**9
"""No limits on a picture's size: it has to have the size that was ordered."""
PREVIEW_PX = 1400
WHILE_RENDERING_SECONDS = 2.0
State = SentCoat.State


def work_folder(sent: SentCoat) -> Path:
    """Return the folder for the files of an order. Missing files are made again."""
    return Path(settings.KILN_WORK) / "bureau" / str(sent.pk)


def take_turn(sent: SentCoat) -> float | None:
    """Carry a coat on for some seconds; return the pause until the next turn, None once settled."""
    work = work_folder(sent)
    work.mkdir(parents=True, exist_ok=True)
    return BureauTurn(sent, work).take()


class BureauTurn(OrderTurn[SentCoat]):
    """One coat at the bureau, for one turn.

    Parameters
    ----------
    work : folder for the files sent and received.
    """

    def __init__(self, sent: SentCoat, work: Path) -> None:
        super().__init__(sent, last_answers.bureau())
        self.work = work

    def step(self) -> float | None:
        if self.order.state == State.ASKING:
            self._ask_for_offer()
            return None
        if self.order.state == State.CANCELLING:
            self._cancel()
            return None
        if timezone.now() - self.order.moved > LONGEST_WAIT:
            reason = "The bureau did not go on with this coat for six hours; it was cancelled."
            self._move(State.CANCELLING, error=reason, moved=timezone.now())
            return 0.0
        if self.order.pixels:
            keep_layer(self.order)
            return None
        if not self.order.number:
            try:
                self._place()
            except Rejected as error:
                self.order.fail(
                    f"The bureau does not take it: {error} Nothing was charged and no picture was "
                    "sent.", charged_cents=0, uncertain=False,
                )  # fmt: skip
                return None
            self._move(State.SENDING, news="")
        if not self._upload():
            return 0.0
        answer = self._awaited()
        if answer is None:
            return WHILE_RENDERING_SECONDS
        if answer.state != "done" or answer.result is None:
            self.update(charged_cents=answer.charged_cents)
            charged = (
                "Nothing is charged." if not answer.charged_cents else charge_message(self.order)
            )
            self.order.fail(f"The bureau did not lay this coat: {answer.reason} {charged}")
            return None
        return self._fetch(answer.result)

    def reject(self, error: Rejected) -> None:
        self.order.fail(f"The bureau does not go on with it: {error} {charge_message(self.order)}")

    # offer and order --------------------------------------------------------------------------

    def _ask_for_offer(self) -> None:
        """Request an offer; store it, or the reason why there is none."""
        coat, start = self.order.coat, self.order.start
        bare = {"width": start.width, "height": start.height, "coat": to_json(coat.bare)}
        try:
            terms = self.client.ask("GET", "/v1/terms", answers.Terms)
            offer = self.client.ask("POST", "/v1/offers", answers.Offer, body=bare)
        except Rejected as error:
            self.order.fail(f"The bureau makes no offer: {error} Nothing was sent.")
        except ServiceError as error:
            self.order.fail(
                f"{error} So there is no offer. Nothing was sent; fire the coat here, or ask "
                "again later."
            )
        else:
            self.order.transition(
                State.OFFERED, only_from=[State.ASKING], terms=answers.as_json(terms),
                offer=offer.number, cents=offer.cents, currency=offer.currency,
                predicted_seconds=offer.seconds, error="",
                expires=timezone.now() + timedelta(seconds=offer.expires_in),
            )  # fmt: skip

    def _place(self) -> None:
        """Place the order; where it was placed and the answer was lost, this finds it."""
        wanted = {
            "offer": self.order.offer, "coat": self.order.frozen,
            "files": {role: self._facts(role) for role in self.order.files},
        }  # fmt: skip
        order = self.place(
            answers.RenderOrderAnswer, wanted, str(self.order.pk),
            "Whether the bureau has this order is not known; it is asked for with the same key, so that "
            "it is charged once.",
        )  # fmt: skip
        self.update(
            number=order.number, charged_cents=order.charged_cents, uncertain=False,
            moved=timezone.now(),
        )  # fmt: skip

    def _cancel(self) -> None:
        """Cancel the order at the bureau, and store what it still charges."""
        charged = 0
        if not self.order.number and self.order.uncertain:
            try:
                self._place()
            except Rejected:
                self.update(uncertain=False)
        if self.order.number:
            try:
                charged = self.client.ask(
                    "DELETE", self._at(), answers.RenderOrderAnswer
                ).charged_cents
            except Rejected as error:
                if error.status not in (HTTPStatus.NOT_FOUND, HTTPStatus.GONE):
                    raise Unknown(f"The bureau does not cancel it: {error}") from error
        self.order.transition(
            State.FAILED if self.order.error else State.LEFT, only_from=[State.CANCELLING],
            charged_cents=charged, news="", ended=timezone.now(),
        )  # fmt: skip

    def _at(self, part: str = "") -> str:
        return f"/v1/orders/{quote(self.order.number, safe='')}{part}"

    # out --------------------------------------------------------------------------------------

    def _facts(self, role: str) -> dict[str, Any]:
        path = self._file(role)
        return {"bytes": path.stat().st_size, "sha256": hash_of(path)}

    def _file(self, role: str) -> Path:
        """Return the file of a layer: the same bytes on whichever machine it is written."""
        path = self.work / f"{role}.png"
        if not path.exists():
            with canvas_of(self.order.files[role]) as canvas:
                export(canvas, path, output=SENT)
        return path

    def _upload(self) -> bool:
        """Send the bytes that have not arrived; return whether all files are complete."""
        for role in self.order.files:
            path = self._file(role)

            def arrived(role: str = role) -> int | None:
                order = self._order()
                if order.state != "awaiting-files":
                    return None
                if role not in order.files:
                    raise Rejected(f"it awaits no file “{role}”.", HTTPStatus.CONFLICT)
                total = sum(file.bytes for file in order.files.values())
                self._progress(sum(file.received for file in order.files.values()) / max(1, total))
                mine = order.files[role]
                return None if mine.received >= mine.bytes else mine.received

            with path.open("rb") as file:
                at, size = self._at(f"/files/{role}"), path.stat().st_size
                if not send_file(self.client, at, file, size, arrived, self.turn):
                    return False
        return True

    # there ------------------------------------------------------------------------------------

    def _order(self) -> answers.RenderOrderAnswer:
        return self.client.ask("GET", self._at(), answers.RenderOrderAnswer)

    def _awaited(self) -> answers.RenderOrderAnswer | None:
        """Return the bureau's answer once the coat is done; None while it is not."""
        if self.order.state == State.FETCHING:
            return self._order()
        while True:
            order = self._order()
            if order.state in ("done", "failed", "cancelled"):
                return order
            news = f"Number {order.place} in the bureau's queue." if order.place else ""
            if (self.order.state, self.order.news) != (State.RENDERING, news):
                self._move(State.RENDERING, news=news)
            self._progress(order.progress)
            if self.turn.over:
                return None
            time.sleep(sending.PAUSE_SECONDS)

    # back -------------------------------------------------------------------------------------

    def _fetch(self, result: answers.Result) -> float | None:
        """Fetch the result and check it: length, checksum, size, drift."""
        self._move(State.FETCHING, news="")
        path = self.work / "result.png"
        seconds = self.turn.seconds_left + 1
        whole = self.client.fetch(self._at("/result"), path, result.bytes, seconds)
        self._progress(path.stat().st_size / result.bytes)
        if not whole:
            return 0.0
        if hash_of(path) != result.sha256:
            path.unlink()
            self.update(
                spoilt=self.order.spoilt + 1, news="It came with a wrong checksum; fetched again."
            )
            if self.order.spoilt >= MOST_SPOILT:
                self.order.fail(
                    f"The result came with a wrong checksum {MOST_SPOILT} times. "
                    f"{charge_message(self.order)}"
                )
                return None
            return 0.0
        self._receive(path)
        return None

    def _receive(self, path: Path) -> None:
        """Make a layer of a result, or ask the artist when the result differs too much from what was sent."""
        sent, into = self.order, self.work / "result.npy"
        limits = Limits(max_bytes=MOST_BYTES, max_megapixels=ANY, max_side=ANY)
        size = examine(path, limits).size
        if size != sent.size:
            raise Refusal(
                f"The bureau sent {size}, where {sent.size} were ordered. It did not become a layer. "
                f"{charge_message(sent)}"
            )
        read_apart(path, into, limits)
        canvas = Canvas(into)
        with canvas_of(sent.start) as start:
            compared = compare_returned(start, canvas)
        sent.compared = compared.to_json()
        sent.preview.save(f"{sent.pk}.webp", ContentFile(_preview(canvas)), save=False)
        canvas.close()
        keep_file(sent.pixels, into, f"{sent.pk}.npy")
        doubts = compared.doubts
        kept = sent.transition(
            State.DOUBTED if doubts else State.FETCHING, only_from=[State.FETCHING],
            compared=sent.compared, preview=sent.preview.name, pixels=sent.pixels.name,
            error=" ".join(doubts), progress=1.0, news="", ended=timezone.now(),
        )  # fmt: skip
        if not kept:
            for field in (sent.pixels, sent.preview):
                field.storage.delete(str(field.name))
            raise OrderClosed
        if not doubts:
            keep_layer(sent)

    # state ------------------------------------------------------------------------------------

    def _progress(self, progress: float) -> None:
        """Store the progress. A coat without progress for long is given up."""
        if progress != self.order.progress:
            self.update(progress=progress, moved=timezone.now())

    def _move(self, state: str, **fields: Any) -> None:
        """Move on to a state, unless the artist has cancelled meanwhile."""
        if not self.order.transition(state, only_from=SentCoat.UNDER_WAY, **fields):
            raise OrderClosed


def keep_layer(sent: SentCoat) -> None:
    """Make a layer of the result, unless the artist has cancelled meanwhile.

    Raises
    ------
    OrderClosed
    """
    start, coat = sent.start, sent.coat
    came = sent.pixels
    with canvas_in(came) as canvas:
        digest = canvas.digest()
    name = content_key("bureau", start.sha256, to_json(coat), digest)
    with transaction.atomic():
        if not sent.transition(State.DONE, only_from=[State.FETCHING], pixels="", error=""):
            raise OrderClosed
        layer = sent.piece.layer_at(name)
        if layer is None:
            work = Path(settings.KILN_WORK) / "bureau" / f"{sent.pk}.npy"
            with canvas_in(came) as canvas:
                shutil.copyfile(canvas.path, work)
            refine = coat.refinement
            seconds = (sent.ended or timezone.now()) - (sent.ordered or sent.created)
            layer = add_layer(
                sent.piece, Canvas(work), kind=Layer.Kind.COAT, parent=start, content_key=name,
                recipe={
                    "engine": ENGINE_VERSION, "coat": to_json(coat), "size": list(sent.size),
                    "bureau": sent.recipe_mark,
                },
                model=refine.model if refine else "", seed=refine.seed if refine else None,
                seconds=seconds.total_seconds(),
            )  # fmt: skip
        SentCoat.objects.filter(pk=sent.pk).update(result=layer)
        sent.result = layer
    prepare(layer)
    check_layer(layer)
    came.storage.delete(str(came.name))


def _preview(canvas: Canvas) -> bytes:
    scale = min(1.0, PREVIEW_PX / max(canvas.size))
    small = canvas.size.scaled(scale)
    whole = canvas.read(Box.whole(canvas.size)) if scale == 1 else reduced(canvas, small)
    return webp_of(whole, PREVIEW_PX)


def charge_message(sent: SentCoat) -> str:
    """Return a sentence about what was charged for a coat without a result."""
    facts = SentCoat.objects.values_list("number", "charged_cents", "uncertain").get(pk=sent.pk)
    number, cents, uncertain = facts
    if uncertain:
        return "Whether the bureau has the order is not known; tried again it is charged once."
    if not cents:
        return "Nothing is charged."
    return (
        f"The bureau has charged {cents / 100:.2f} {sent.currency} for its order {number}. Try again, "
        "which costs nothing more, or take it up with the bureau."
    )
