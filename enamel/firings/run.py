"""Carry out one firing: step after step, each stored as a layer, with progress after every tile."""

import logging
import shutil
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from enamel.core import ENGINE_VERSION
from enamel.core.diffusion.refiners import refiner_of
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.imaging.encoded import webp_of
from enamel.core.memory import peak_memory_mb
from enamel.core.networks.cards import card
from enamel.core.pipeline.firing import FiringResult, Stage, StageReport, fire, materialise, stages
from enamel.core.pipeline.inlay import Inlay, inlaid
from enamel.core.pipeline.predict import enlarging, refining, settling
from enamel.core.pipeline.touchup import TouchUp, touch_up
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Schedule, content_key
from enamel.firings import finishes, inlays
from enamel.firings.checking import check_layer
from enamel.firings.models import Firing, TilePreview, Timing
from enamel.firings.touch_ups import known_patches, patch_key
from enamel.jobs import heartbeats
from enamel.jobs.locks import advisory_lock
from enamel.jobs.running import Stopping
from enamel.library.layers import (
    add_layer,
    canvas_of,
    coat_on,
    piece_work,
    prepare,
    tile_store,
)
from enamel.library.models import Layer
from enamel.library.signals import layer_added

logger = logging.getLogger(__name__)

PREVIEW_MEGAPIXELS = 12.0
"""Pixels of all previews of a picture together: larger pictures get coarser previews."""
Fractions = tuple[float, float, float, float]
"""Left, top, width and height as fractions of a layer."""
WHOLE: Fractions = (0.0, 0.0, 1.0, 1.0)
TRUSTED = 2
"""Weight of the prediction: it counts like this number of measured tiles."""


class Run:
    """One firing, by one worker."""

    def __init__(self, firing: Firing, stopping: Stopping) -> None:
        self.firing = firing
        self.stopping = stopping
        self.work = piece_work(firing.piece)
        self.coats: list[dict[str, Any]] = firing.predicted["coats"]
        self.reports: list[StageReport] = []
        """Seconds of each coat that this worker has laid."""
        self.coat = 0
        self.first: tuple[float, int] | None = None
        """When the first tile of this coat was reported, and how many were done then. Enlarging comes
        before that.
        """

    def run(self) -> None:
        for model, digest in self.firing.models_used.items():
            card(model, "refiner").verify(digest)
        layer, place = self.firing.start, 0
        for step in self.firing.steps():
            if isinstance(step, Coat):
                layer = self._lay(place, step, layer)
                place += 1
            elif isinstance(step, TouchUp):
                layer = self._touch_up(place, step, layer)
                place += len(step.patches)
            elif isinstance(step, Finish):
                layer = self._finish(step, layer)
            else:
                layer = self._inlay(step, layer)
        self.firing.finish(result=layer, done=self.firing.total, actual=self._actual())

    def _lay(self, number: int, coat: Coat, parent: Layer) -> Layer:
        """Return the layer of a coat on a layer."""
        self._begin(number)
        stage, name = coat_on(parent, coat)
        return self._once(name, lambda: self._lay_coat(stage, name, parent, coat))

    def _once(self, name: str, make: Callable[[], Layer]) -> Layer:
        """Return the layer with a content key: the existing one, or a new one made under a lock.

        Raises
        ------
        Busy
            When another worker is making it.
        """
        piece = self.firing.piece
        known = piece.layer_at(name)
        if known:
            return self._known(known)
        with advisory_lock(f"{piece.pk} {name}"):
            known = piece.layer_at(name)  # another worker may have made it just now
            return self._known(known) if known else make()

    def _lay_coat(self, stage: Stage, name: str, parent: Layer, coat: Coat) -> Layer:
        recipe = stage.recipe
        began = time.monotonic()
        with canvas_of(parent) as start, canvas_of(self.firing.piece.base) as origin:
            fired = fire(
                start, Schedule((coat,)), self.work,
                on_progress=self._on_progress, stopping=self.stopping, origin=origin,
                store=tile_store(), keep_enlarged=True,
            )  # fmt: skip
        self.reports += fired.reports
        self._note(self.coat, stage, parent.size, fired.reports[-1])
        refine = coat.refinement
        return self._keep(
            [fired], fired.result,
            kind=Layer.Kind.COAT, parent=parent, recipe=recipe, content_key=name,
            model=refine.model if refine else "", model_sha256=recipe["refiner"] or "",
            seed=refine.seed if refine else None, seconds=time.monotonic() - began,
        )  # fmt: skip

    def _touch_up(self, number: int, settings: TouchUp, parent: Layer) -> Layer:
        """Return the layer of a touch-up on a layer."""
        self._begin(number)
        names = [patch_key(parent, settings, patch) for patch in settings.patches]
        overs = [to_json(patch.over) for patch in settings.patches]
        name = content_key(parent.sha256, names, overs, settings.match)
        return self._once(name, lambda: self._lay_touch_up(number, settings, parent, names, name))

    def _lay_touch_up(
        self, number: int, settings: TouchUp, parent: Layer, names: list[str], name: str
    ) -> Layer:
        """Make the layer of a touch-up. Patches made as candidates are used as they are."""
        refine = settings.refine
        digest = refiner_of(refine).spec.digest
        placed = [settings.placed(patch, parent.size) for patch in settings.patches]
        recipe = {
            "engine": ENGINE_VERSION, "touch_up": to_json(settings), "refiner": digest,
            "places": [_fractions(one.laid.bounds, parent) for one in placed],
        }  # fmt: skip
        began = time.monotonic()
        into = self.work / f"{name[:32]}.npy"

        def on_progress(progress: Progress) -> None:
            at = number + progress.coat
            if at != self.coat:
                self._begin(at)
            self._on_progress(progress, _fractions(placed[progress.coat].around, parent))

        with canvas_of(parent) as layer, canvas_of(self.firing.piece.base) as base:
            reports = touch_up(
                layer, settings, self.work, into, base=base,
                known=known_patches(parent, names),
                on_progress=on_progress, stopping=self.stopping,
            )  # fmt: skip
        for at, fired in reports:
            (stage,) = stages(placed[at].schedule, placed[at].around.size)
            self._note(number + at, stage, placed[at].around.size, fired.reports[-1])
            self.reports += fired.reports
        return self._keep(
            [fired for _, fired in reports], Canvas(into),
            kind=Layer.Kind.TOUCH_UP, parent=parent, recipe=recipe, content_key=name,
            replaces=self.firing.replaces if parent == self.firing.start else None,
            model=refine.model, model_sha256=digest, seed=settings.patches[0].seed,
            seconds=time.monotonic() - began,
        )  # fmt: skip

    def _inlay(self, settings: tuple[Inlay, ...], parent: Layer) -> Layer:
        """Return the layer of pictures inlaid into a layer."""
        name = inlays.inlay_key(parent, settings)
        return self._once(name, lambda: self._lay_inlay(settings, parent, name))

    def _lay_inlay(self, settings: tuple[Inlay, ...], parent: Layer, name: str) -> Layer:
        recipe = {
            "engine": ENGINE_VERSION, "inlays": [to_json(one) for one in settings],
            "places": inlays.places_of(parent, settings),
        }  # fmt: skip
        began = time.monotonic()
        into = self.work / f"{name[:32]}.npy"
        into.unlink(missing_ok=True)
        with inlays.opened(parent, settings) as (below, laid):
            made = materialise(inlaid(below, laid), Box.whole(parent.size), into)
        return self._keep(
            [], made,
            kind=Layer.Kind.INLAY, parent=parent, recipe=recipe, content_key=name,
            seconds=time.monotonic() - began,
        )  # fmt: skip

    def _finish(self, recipe: Finish, parent: Layer) -> Layer:
        """Return the layer of a finish on a layer."""
        name = finishes.finish_key(parent, recipe)
        return self._once(name, lambda: self._lay_finish(recipe, parent, name))

    def _lay_finish(self, recipe: Finish, parent: Layer, name: str) -> Layer:
        began = time.monotonic()
        into = self.work / f"{name[:32]}.npy"
        into.unlink(missing_ok=True)
        with finishes.opened(parent, recipe) as made:
            canvas = materialise(made, made.whole, into)
        return self._keep(
            [], canvas,
            kind=Layer.Kind.FINISH, parent=parent, content_key=name,
            recipe={"engine": ENGINE_VERSION, "finish": recipe.to_json()},
            replaces=self.firing.replaces if parent == self.firing.start else None,
            seconds=time.monotonic() - began,
        )  # fmt: skip

    def _known(self, layer: Layer) -> Layer:
        """Return an existing layer, prepared: a worker that died may have left it without its pyramid."""
        prepare(layer)
        self._check(layer, None)
        return layer

    def _note(self, number: int, stage: Stage, start: Size, report: StageReport) -> None:
        """Store how long a coat or patch took, for predictions, unless another worker began it."""
        cost = self.coats[number]
        whole = report.tiles + report.shared == cost["tasks"]
        portions = enlarging(stage, start)
        if whole and len(portions) == 1 and report.enlarge_seconds:
            Timing.objects.note(portions[0], report.enlarge_seconds)
        if stage.refining and report.tiles:
            seen = cost["megapixel_steps"] * report.tiles / cost["tasks"]
            Timing.objects.note(refining(stage.refining.settings, seen), report.refine_seconds)
            heartbeats.record_speed(seen, report.refine_seconds)

    def _keep(self, fired: Sequence[FiringResult], canvas: Canvas, **facts: Any) -> Layer:
        began = time.monotonic()
        layer = add_layer(self.firing.piece, canvas, **facts)
        prepare(layer)
        coated = fired and layer.kind == Layer.Kind.COAT
        if coated:
            layer_added.send(Layer, layer=layer)
        self._check(layer, fired[-1].layers[-1].enlarged if coated else None)
        for laid in (laid for one in fired for laid in one.layers):
            laid.canvas.close()
            shutil.rmtree(_folder_of(laid.canvas.path, self.work), ignore_errors=True)
        Timing.objects.note(settling(layer.size), time.monotonic() - began)
        return layer

    def _check(self, layer: Layer, enlarged: Path | None) -> None:
        """Check a layer. Where that fails, the layer is kept without a report, and can be checked again."""
        try:
            check_layer(layer, enlarged)
        except Exception:
            logger.exception("checks of layer %s", layer.pk)

    # news -------------------------------------------------------------------------------------

    def _begin(self, number: int) -> None:
        self.coat = number
        self.first = None
        self.firing.previews.all().delete()
        self._record(self._done_before(), self._seconds_left(), coat=number)

    def _done_before(self) -> int:
        return sum(coat["tasks"] for coat in self.coats[: self.coat])

    def _on_progress(self, progress: Progress, within: Fractions = WHOLE) -> None:
        """Report a tile. ``within`` is the part of the layer being worked on."""
        if self.first is None:
            self.first = (time.monotonic(), progress.done)
        done = self._done_before() + progress.done
        size = Size(*self.coats[self.coat]["size"])
        box = progress.box
        longest = round(max(box.size) * min(1.0, (PREVIEW_MEGAPIXELS / size.megapixels) ** 0.5))
        left, top, across, down = within
        TilePreview.objects.update_or_create(
            firing=self.firing,
            x=left + across * box.x / size.width,
            y=top + down * box.y / size.height,
            defaults={
                "number": done,
                "width": across * box.width / size.width,
                "height": down * box.height / size.height,
                "image": webp_of(progress.preview, longest),
            },
        )
        self._record(done, self._seconds_left(progress))

    def _record(self, done: int, seconds_left: float, **news: Any) -> None:
        """Store the firing's progress, unless it was deleted."""
        progress = done / self.firing.total if self.firing.total else 0.0
        self.firing.record(done=done, progress=progress, seconds_left=seconds_left, **news)

    def _seconds_left(self, progress: Progress | None = None) -> float:
        """Return the predicted seconds that are left, with the refinement of this coat at the pace of its
        tiles.

        One or two tiles say little about that pace, so the prediction counts like `TRUSTED` further tiles.

        Parameters
        ----------
        progress : the tile finished last; None while the coat enlarges.
        """
        here, later = self.coats[self.coat], self.coats[self.coat + 1 :]
        pace, left, other = 1.0, 1.0, here["settle_seconds"]
        if progress is None or self.first is None:
            other += here["enlarge_seconds"]
        else:
            began, first = self.first
            each = max(here["refine_seconds"], 0.01) / progress.total
            seen = time.monotonic() - began + TRUSTED * each
            pace = seen / (each * (progress.done - first + TRUSTED))
            left = 1 - progress.done / progress.total
        to_refine = here["refine_seconds"] * left + sum(coat["refine_seconds"] for coat in later)
        other += sum(coat["enlarge_seconds"] + coat["settle_seconds"] for coat in later)
        return to_refine * pace + other

    def _actual(self) -> dict[str, Any]:
        """Return the seconds it took."""
        return {
            "model_seconds": round(sum(report.model_seconds for report in self.reports), 2),
            "peak_memory_mb": round(peak_memory_mb()),
            "shared": sum(report.shared for report in self.reports),
        }


def _fractions(box: Box, layer: Layer) -> Fractions:
    """Return a box of a layer as fractions of it."""
    width, height = layer.size
    return box.x / width, box.y / height, box.width / width, box.height / height


def _folder_of(path: Path, work: Path) -> Path:
    """Return the folder directly under ``work`` that contains a file of the engine."""
    return work / path.relative_to(work).parts[0]
