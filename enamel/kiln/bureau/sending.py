"""A coat at the bureau, got on with by the kiln's chores: sent, asked after, fetched, checked, kept."""

import shutil
import time
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

import httpx
from django.conf import settings
from django.core.files.base import ContentFile
from django.utils import timezone

from enamel.core import ENGINE_VERSION
from enamel.core.base.pixels import Limits, examine
from enamel.core.base.reading import read_apart
from enamel.core.checks.returned import compare_returned
from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.files import hash_of
from enamel.core.geometry import Box
from enamel.core.picture.canvas import Canvas
from enamel.core.picture.encoded import webp_of
from enamel.core.picture.reduce import reduced
from enamel.core.press.file import export
from enamel.core.press.output import FileFormat, Output
from enamel.core.schedule import address
from enamel.kiln import lines
from enamel.kiln.checking import check_layer
from enamel.kiln.faults import told
from enamel.kiln.lines import Gone
from enamel.kiln.models import Layer, SentCoat
from enamel.kiln.storage.files import keep_file
from enamel.kiln.storage.layers import add_layer, canvas_in, canvas_of, prepare

SENT = Output(FileFormat.PNG, bits=16, speaks=False)
"""What leaves the house: pixels, and nothing that says whose or what they are."""
LONGEST_WAIT = timedelta(hours=6)
"""After which a coat that has not moved is given up."""
MOST_SPOILT = 3
"""A result that came so often with a wrong checksum is given up."""
MOST_BYTES = 4 * 10**9
ANY = 10**9
"""No limit on a picture's size: it has to be the one that was ordered."""
PREVIEW_PX = 1400
WHILE_RENDERING_SECONDS = 2.0
State = SentCoat.State


def get_on(sent_id: UUID) -> float | None:
    """Get a coat that is under way on by some seconds. Safe to repeat.

    The bureau knows an order by its key, so nothing is charged twice; files go on behind the last byte that
    arrived.

    Returns
    -------
    In how many seconds it wants to be got on; None once it is settled.
    """
    sent = SentCoat.objects.filter(pk=sent_id).select_related("piece", "start").first()
    if sent is None or not (sent.open or sent.state == State.LEFT):
        return None
    work = Path(settings.KILN_WORK) / "bureau" / str(sent.pk)
    work.mkdir(parents=True, exist_ok=True)
    pause: float | None = None
    try:
        with lines.client(settings.BUREAU, key=settings.BUREAU_KEY) as client:
            errand = Errand(sent, client, work)
            pause = errand.get_on() if sent.open else errand.take_back()
    except Gone as gone:
        _fail(sent, f"{gone} {_what_it_costs(sent)}")
    except Exception as error:
        _fail(sent, told(error, f"coat {sent_id} at the bureau"))
    if pause is None:
        shutil.rmtree(work, ignore_errors=True)
    return pause


class Errand:
    """One coat sent out, for one turn.

    Parameters
    ----------
    work : folder for the files on their way; what is missing there is made again.
    """

    def __init__(self, sent: SentCoat, client: httpx.Client, work: Path) -> None:
        self.sent = sent
        self.work = work
        self.line = lines.Line(client, "the bureau", lambda words: self._tell(news=words))

    def get_on(self) -> float | None:
        """As far as there is time for; gives the pause until the next turn, None at the end."""
        if timezone.now() - self.sent.moved > LONGEST_WAIT:
            self.take_back()
            raise Gone("The bureau did not get on with this coat for six hours; it was taken back.")
        if self.sent.pixels:
            keep_layer(self.sent)
            return None
        if not self.sent.number:
            pause = self._place()
            if pause is not None:
                return pause
            self._tell(state=State.SENDING)
        if not self._upload():
            return 0.0
        said = self._awaited()
        if said is None:
            return WHILE_RENDERING_SECONDS
        if said["state"] != "done":
            self._tell(charged_cents=int(said["charged_cents"]))
            raise Refusal(f"The bureau did not lay this coat: {said['reason']} Nothing is charged.")
        return self._fetch(said["result"])

    def take_back(self) -> float | None:
        """Tell the bureau that a coat is not wanted any more, and note what it still charges."""
        if not self.sent.number:
            # its answer may have been lost: placed again it is the same order
            pause = self._place()
            if pause is not None:
                return pause
        said = self.line.ask("DELETE", self._at()).json()
        self._tell(charged_cents=int(said["charged_cents"]))
        return None

    def _at(self, part: str = "") -> str:
        return f"/v1/orders/{self.sent.number}{part}"

    # out --------------------------------------------------------------------------------------

    def _place(self) -> float | None:
        """Place the order; in how many seconds a busy bureau wants to be asked again."""
        wanted = {
            "offer": self.sent.offer, "coat": self.sent.frozen,
            "files": {role: self._facts(role) for role in self.sent.files},
        }  # fmt: skip
        answer = self.line.ask("POST", "/v1/orders", json=wanted,
                               headers={"Idempotency-Key": str(self.sent.pk)})  # fmt: skip
        if answer.status_code == httpx.codes.SERVICE_UNAVAILABLE:
            pause = lines.seconds_to_wait(answer)
            self._tell(news=f"The bureau is busy; it is asked again in {pause:.0f} s.")
            return pause
        if answer.is_error:
            self._tell(charged_cents=0)
            raise Refusal(f"The bureau does not take it: {lines.reason(answer)} Nothing was charged "
                          "and no picture left the house.")  # fmt: skip
        order = answer.json()
        self._tell(number=str(order["number"]), news="", moved=timezone.now(),
                   charged_cents=int(order["charged_cents"]))  # fmt: skip
        return None

    def _facts(self, role: str) -> dict[str, Any]:
        path = self._file(role)
        return {"bytes": path.stat().st_size, "sha256": hash_of(path)}

    def _file(self, role: str) -> Path:
        """The file of a layer; always the same bytes, on whichever machine it is written."""
        path = self.work / f"{role}.png"
        if not path.exists():
            with canvas_of(self.sent.files[role]) as canvas:
                export(canvas, path, output=SENT)
        return path

    def _upload(self) -> bool:
        """Send what has not arrived; whether all of it is there."""
        for role in self.sent.files:
            path = self._file(role)

            def arrived(role: str = role) -> int | None:
                said = self._said()
                files = said["files"]
                total = sum(file["bytes"] for file in files.values())
                here = sum(file["received"] for file in files.values())
                if said["state"] != "awaiting-files":
                    return None
                self._moved(here / total)
                mine = files[role]
                return None if mine["received"] == mine["bytes"] else int(mine["received"])

            with path.open("rb") as file:
                if not self.line.send(
                    self._at(f"/files/{role}"), file, path.stat().st_size, arrived
                ):
                    return False
        return True

    # there ------------------------------------------------------------------------------------

    def _said(self) -> dict[str, Any]:
        answer = self.line.ask("GET", self._at())
        if answer.is_error:
            raise Gone(f"The bureau does not know this order: {lines.reason(answer)}")
        said: dict[str, Any] = answer.json()
        return said

    def _awaited(self) -> dict[str, Any] | None:
        """What the bureau says once it is done with it; None while it is not."""
        if self.sent.state == State.FETCHING:
            return self._said()
        while True:
            said = self._said()
            if said["state"] in ("done", "failed", "cancelled"):
                return said
            place = said.get("place", 0)
            news = f"Number {place} in the bureau's queue." if place else ""
            if (self.sent.state, self.sent.news) != (State.RENDERING, news):
                self._tell(state=State.RENDERING, news=news)
            self._moved(float(said["share"]))
            if self.line.over:
                return None
            time.sleep(lines.PAUSE_SECONDS)

    # back -------------------------------------------------------------------------------------

    def _fetch(self, result: dict[str, Any]) -> float | None:
        """Fetch the result and check it: length, checksum, size, drift."""
        total = int(result["bytes"])
        if not 0 < total <= MOST_BYTES:
            raise Gone("The bureau's result has no length that can be right.")
        self._tell(state=State.FETCHING, news="")
        path = self.work / "result.png"
        whole = self.line.fetch(
            self._at("/result"), path, total, lambda here: self._moved(here / total)
        )
        if not whole:
            return 0.0
        if path.stat().st_size != total or hash_of(path) != result["sha256"]:
            path.unlink()
            self._tell(
                spoilt=self.sent.spoilt + 1, news="It came with a wrong checksum; fetched again."
            )
            if self.sent.spoilt >= MOST_SPOILT:
                raise Gone(f"The result came with a wrong checksum {MOST_SPOILT} times.")
            return 0.0
        self._receive(path)
        return None

    def _receive(self, path: Path) -> None:
        """Make a layer of a result, or put it before the artist when it is not what was sent."""
        sent, into = self.sent, self.work / "result.npy"
        limits = Limits(max_bytes=MOST_BYTES, max_megapixels=ANY, max_side=ANY)
        size = examine(path, limits).size
        if size != sent.size:
            raise Refusal(
                f"The bureau sent {size}, where {sent.size} were ordered. It did not become a layer. "
                f"{_what_it_costs(sent)}"
            )
        read_apart(path, into, limits, lambda share: None)
        canvas = Canvas(into)
        with canvas_of(sent.start) as start:
            compared = compare_returned(start, canvas)
        sent.compared = compared.to_json()
        sent.preview.save(f"{sent.pk}.webp", ContentFile(_preview(canvas)), save=False)
        canvas.close()
        keep_file(sent.pixels, into, f"{sent.pk}.npy")
        doubts = compared.doubts
        sent.state, sent.error = State.DOUBTED if doubts else State.FETCHING, " ".join(doubts)
        sent.share, sent.news, sent.ended = 1.0, "", timezone.now()
        sent.save(
            update_fields=[
                "compared", "preview", "pixels", "state", "error", "share", "news", "ended",
            ]
        )  # fmt: skip
        if not doubts:
            keep_layer(sent)

    # news -------------------------------------------------------------------------------------

    def _moved(self, share: float) -> None:
        """News of how far it is; what does not move for long is given up."""
        if share != self.sent.share:
            self._tell(share=share, moved=timezone.now())

    def _tell(self, **news: Any) -> None:
        known = SentCoat.objects.filter(pk=self.sent.pk, state__in=[*SentCoat.OPEN, State.LEFT])
        if "state" in news:
            known = known.open()  # what was taken back in the meantime stays so
        if not known.update(**news):
            raise Refusal("It was taken back.")
        for name, value in news.items():
            setattr(self.sent, name, value)


def keep_layer(sent: SentCoat) -> Layer:
    """Make a layer of what came back, and let go of what waited."""
    start, coat = sent.start, sent.coat
    with canvas_in(sent.pixels) as canvas:
        digest = canvas.digest()
    name = address("bureau", start.sha256, to_json(coat), digest)
    layer = sent.piece.layer_at(name)
    if layer is None:
        work = Path(settings.KILN_WORK) / "bureau" / f"{sent.pk}.npy"
        with canvas_in(sent.pixels) as canvas:
            shutil.copyfile(canvas.path, work)
        refine = coat.refinement
        layer = add_layer(
            sent.piece, Canvas(work), kind=Layer.Kind.COAT, parent=start, address=name,
            recipe={
                "engine": ENGINE_VERSION, "coat": to_json(coat), "size": list(sent.size),
                "bureau": sent.recipe_mark,
            },
            model=refine.model if refine else "", seed=refine.seed if refine else None,
            seconds=((sent.ended or timezone.now()) - (sent.ordered or sent.created)).total_seconds(),
        )  # fmt: skip
    prepare(layer)
    check_layer(layer)
    sent.pixels.storage.delete(str(sent.pixels.name))
    sent.pixels, sent.result, sent.state, sent.error = "", layer, State.DONE, ""
    sent.save(update_fields=["pixels", "result", "state", "error"])
    return layer


def _preview(canvas: Canvas) -> bytes:
    scale = min(1.0, PREVIEW_PX / max(canvas.size))
    small = canvas.size.scaled(scale)
    whole = canvas.read(Box.whole(canvas.size)) if scale == 1 else reduced(canvas, small)
    return webp_of(whole, PREVIEW_PX)


def _what_it_costs(sent: SentCoat) -> str:
    """What was charged for a coat that did not come to anything."""
    number, cents = SentCoat.objects.values_list("number", "charged_cents").get(pk=sent.pk)
    if not number:
        return "Whether the order arrived is not known; tried again it is the same order, charged once."
    if not cents:
        return "Nothing is charged."
    return (
        f"The bureau has charged {cents / 100:.2f} {sent.currency} for its order {number}. Try again, "
        "which costs nothing more, or take it up with the bureau."
    )


def _fail(sent: SentCoat, error: str) -> None:
    SentCoat.objects.filter(pk=sent.pk).open().update(
        state=State.FAILED, error=error, news="", ended=timezone.now()
    )
