"""Touch-ups: refine masked places again at a size that suits the network, and set them back.

Each place is cut out with its surroundings, enlarged to a working size, refined with its own settings,
reduced again, its colour matched to what is around it, and laid over the layer through its mask. Where the
masks are 0 the layer's samples stay as they are, bit for bit.
"""

import shutil
from collections.abc import Callable
from concurrent.futures import Executor
from contextlib import ExitStack
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

import numpy as np

from enamel.core.diffusion.noise import SEEDS
from enamel.core.errors import Refusal, require
from enamel.core.faces.detection import Face
from enamel.core.fields import check_fields, from_json, integer, number, setting, to_json
from enamel.core.files import whole_file
from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.canvas import (
    WHITE,
    Canvas,
    Cropped,
    FloatArray,
    Picture,
    Pixels,
    SampleArray,
)
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.coverage import Coverage, Intersection, require_covered
from enamel.core.masks.measured import face_steps
from enamel.core.masks.steps import Feather, box_mask
from enamel.core.pipeline.firing import FiringResult, fire
from enamel.core.pipeline.join import MatchedPatch
from enamel.core.progress import OnProgress, Progress, StopSign, ignore, never
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.upscaling import Enlarged, upscaler

BLOCK = 1024
LEAST_SIDE = 16
"""Least side of a cut-out, in px."""
MOST_MEGAPIXELS = 24.0
"""Most pixels of a place with its surroundings; candidates hold that in memory."""
FACTOR_TO_LIVE_WITH = 6.0
"""Largest enlargement; beyond it the place has too little detail for the network."""
SHOWN_AROUND = 0.12
"""Margin shown around a place on each side, as a fraction of the place."""
FACE_AT_WORK = 224
"""Height in px, from brow to chin, that smaller faces are enlarged to for refining."""
STRANGE_ABOVE = 0.65
"""Denoising strength from which faces become other people."""
NARROW_BELOW = 0.25
"""Surroundings, as a fraction of the region, below which a network can't recognise its subject."""


class Origin(StrEnum):
    """The picture that is refined again."""

    LAYER = "layer"
    BASE = "base"
    """The base, enlarged again: the work of earlier coats on the place is discarded."""


@dataclass(frozen=True, slots=True)
class Patch:
    """One refinement of one place, with one seed."""

    mask: Mask = setting(Mask(), "What is mended; it also says what is cut out.")
    over: Mask | None = setting(None, "Where of that the result is laid; null for all of it.")
    working: int = integer(
        768, 128, 4096, "Longer side of the place and its surroundings while refined.", "px"
    )
    strength: float = number(0.45, 0, 1, "Denoising strength: 0.4 to 0.65 suits faces.")
    seed: int = integer(0, 0, SEEDS - 1, "Which noise; the same seed gives the same picture.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class TouchUp:
    """The places to refine again, and how. Patches are laid in their order; each is refined from the
    layer itself.
    """

    patches: tuple[Patch, ...] = setting((), "The places.")
    context: float = number(
        0.5, 0, 4, "Surroundings the network sees on each side, as a fraction of the region."
    )
    match: float = number(
        1.0, 0, 1, "How far the colour of a patch is matched to what is around its mask."
    )
    origin: Origin = setting(Origin.LAYER, "Whether the layer or the enlarged base is refined.")
    upscaler: str = setting("lanczos", "What enlarges the base, where that is refined.")
    refine: Refine = setting(Refine(), "The refinement; strength and seed are each patch's own.")

    def __post_init__(self) -> None:
        check_fields(self)
        require(len(self.patches) >= 1, "patches", [], "a list of at least one place")

    @classmethod
    def from_json(cls, given: Any) -> "TouchUp":
        """Return a touch-up from its JSON form; a `FieldRefusal` names the field that is wrong."""
        return from_json(cls, given)

    def within(self, layer: Size) -> None:
        """Refuse masks that cover nothing of a layer of that size, or too much."""
        for patch in self.patches:
            require_covered(RenderedMask(patch.mask, layer))
            around = self.placed(patch, layer).around
            if around.size.megapixels > MOST_MEGAPIXELS:
                raise Refusal(
                    f"What is masked, with its surroundings, is {around.size}; a touch-up mends up to "
                    f"{MOST_MEGAPIXELS:g} megapixels at once. Mask less, or fire a coat and protect "
                    "what is to stay."
                )

    def placed(self, patch: Patch, layer: Size, coverage: Coverage | None = None) -> "PlacedPatch":
        """Return the place of a patch on a layer of that size."""
        covered = coverage or RenderedMask(patch.mask, layer)
        region = covered.bounds
        margin = round(max(region.size) * self.context)
        short = max(0, -(-(LEAST_SIDE - min(region.size)) // 2))
        around = region.grown(max(margin, short)).intersection(Box.whole(layer))
        scale = max(1.0, patch.working / max(around.size))
        refine = replace(self.refine, strength=patch.strength, seed=patch.seed)
        over = RenderedMask(patch.over, layer) if patch.over else None
        laid = Intersection(covered, over) if over else covered
        return PlacedPatch(covered, laid, around, around.size.scaled(scale), refine)


@dataclass(frozen=True)
class PlacedPatch:
    """A patch with its place on a layer."""

    mask: Coverage
    laid: Coverage
    """The part of the mask where the result is laid."""
    around: Box
    """The cut-out: the mask's bounds with their surroundings, within the layer."""
    working: Size
    """Size that the cut-out is enlarged to."""
    refine: Refine

    @property
    def seen(self) -> Box:
        """The part shown: the mask with a small margin, so that the join can be judged."""
        bounds = self.mask.bounds
        return bounds.grown(round(max(bounds.size) * SHOWN_AROUND)).intersection(self.around)

    @property
    def factor(self) -> float:
        """Enlargement of the place for refining."""
        return self.working.width / self.around.width

    @property
    def schedule(self) -> Schedule:
        """The schedule for the cut-out."""
        return Schedule((Coat(size=self.working, refine=self.refine),))

    def cautions(self, context: float, strength: float) -> list[str]:
        """Return warnings about the strength and the surroundings, in words."""
        found = []
        if strength > STRANGE_ABOVE:
            found.append(
                f"Above {STRANGE_ABOVE:g} a face easily becomes someone else's: compare before you keep it."
            )
        if context < NARROW_BELOW and strength > 0.3:
            found.append(
                "With so little around it the network can't see what the place belongs to; "
                f"give it {NARROW_BELOW:g} or more of context."
            )
        if self.factor > FACTOR_TO_LIVE_WITH:
            found.append(
                f"The place is enlarged {self.factor:.1f} times: there is little in it to hold on to, "
                "so much of what comes is invented."
            )
        return found


def patch_for_face(face: Face, layer: Size, margin: float, context: float, seed: int) -> Patch:
    """Return a patch over a face and its hair, at the working size that suits a face of its size.

    Parameters
    ----------
    margin : for hair and neck, as a fraction of the face.
    context : as the touch-up has it.
    """
    steps = face_steps([face], margin)
    (head,) = steps
    soft = min(head.across, head.down) / 3
    mask = Mask(layer, (*steps, Feather(soft)))
    longest = 2 * max(head.across, head.down) * (1 + 2 * context)
    factor = max(1.0, FACE_AT_WORK / face.box.height)
    limits = next(spec.metadata for spec in fields(Patch) if spec.name == "working")
    working = min(limits["high"], max(limits["low"], round(longest * factor)))
    return Patch(mask, None, working, seed=seed)


Known = Callable[[int], SampleArray | None]


def no_known_patches(number: int) -> SampleArray | None:
    """Default for ``known``: no patch was made before."""
    return None


@dataclass(frozen=True)
class RefinedPatch:
    """A refined cut-out, back at the layer's scale, and its time."""

    samples: Picture
    fired: FiringResult


def make_patch(
    picture: Picture,
    placed: PlacedPatch,
    work: Path,
    *,
    on_progress: OnProgress = ignore,
    stopping: StopSign = never,
    executor: Executor | None = None,
) -> RefinedPatch:
    """Refine a patch; the result is at the layer's scale and covers ``placed.around``.

    Parameters
    ----------
    picture : the picture to refine, of the layer's size: the layer, or the base enlarged to it.
    work : folder for finished work, as for `fire`; the same call goes on from it.
    """
    cut = Cropped(picture, placed.around)
    fired = fire(
        cut, placed.schedule, work, on_progress=on_progress, stopping=stopping, executor=executor
    )  # fmt: skip
    return RefinedPatch(Enlarged(fired.result, cut.size, upscaler("lanczos")), fired)


def source_of(layer: Picture, base: Picture | None, settings: TouchUp) -> Picture:
    """Return the picture to refine: the layer, or the base enlarged to the layer's size."""
    if settings.origin is Origin.LAYER or base is None:
        return layer
    return Enlarged(base, layer.size, upscaler(settings.upscaler))


def lay_patch(
    canvas: Canvas, layer: Picture, fresh: Picture, placed: PlacedPatch, match: float
) -> None:
    """Lay a refined cut-out into ``canvas`` through its mask, its colour matched to the layer's.

    The canvas has the layer's samples, and those of patches laid before.
    """
    before = Cropped(layer, placed.around)
    matched = MatchedPatch(fresh, before, Shifted(placed.mask, placed.around), match)
    within = placed.laid.bounds.intersection(placed.around)
    for block in blocks(within, BLOCK, BLOCK):
        covered = placed.laid.read(block)[..., None]
        old = canvas.read(block)
        new = matched.read(block.relative_to(placed.around))
        old[..., :3] = _mixed(old[..., :3], new, covered)
        canvas.write(block, old)


def _mixed(old: SampleArray, new: FloatArray, covered: FloatArray) -> SampleArray:
    """Return samples with others laid over them by coverage."""
    mixed: SampleArray = np.clip(np.rint(old + (new - old) * covered), 0, WHITE).astype(np.uint16)
    return mixed


class Shifted:
    """A mask seen from the corner of a box."""

    def __init__(self, coverage: Coverage, box: Box) -> None:
        self.coverage = coverage
        self.box = box
        self.size = box.size
        self.bounds = coverage.bounds.intersection(box).relative_to(box)

    def read(self, box: Box) -> FloatArray:
        return self.coverage.read(Box(self.box.x + box.x, self.box.y + box.y, *box.size))


def show_patch(
    layer: Picture, samples: SampleArray, placed: PlacedPatch, match: float
) -> SampleArray:
    """Return a place as it looks with the patch laid, (height, width, 3) 16-bit samples of
    `PlacedPatch.seen`.
    """
    shown = layer.read(placed.seen)[..., :3]
    matched = MatchedPatch(
        Pixels(samples), Cropped(layer, placed.around), Shifted(placed.mask, placed.around), match
    )
    covered = placed.laid.read(placed.seen)[..., None]
    new = matched.read(placed.seen.relative_to(placed.around))
    return _mixed(shown, new, covered)


def touch_up(
    layer: Picture,
    settings: TouchUp,
    work: Path,
    into: Path,
    *,
    base: Picture | None = None,
    masks: tuple[Coverage, ...] | None = None,
    known: Known = no_known_patches,
    on_progress: OnProgress = ignore,
    stopping: StopSign = never,
    executor: Executor | None = None,
) -> list[tuple[int, FiringResult]]:
    """Return the layer with its places refined again, as a canvas at ``into``.

    Parameters
    ----------
    layer : picture of 3 or 4 channels.
    work : folder for finished work, as for `fire`; the same call goes on from it.
    into : file of the result, written atomically.
    base : the piece's base, where that is refined.
    masks : what covers each place, in the place of its drawn mask (masks that came as files).
    known : the samples of a patch that was made before, by its number.

    Returns
    -------
    What each patch took that had to be made, with its number.

    Raises
    ------
    Refusal
        If a mask covers nothing of the layer.
    """
    if masks is None:
        settings.within(layer.size)
    source = source_of(layer, base, settings)
    reports = []
    with ExitStack() as stack:
        partial = stack.enter_context(whole_file(into))
        canvas = stack.enter_context(copied(layer, partial))
        for number, patch in enumerate(settings.patches):
            placed = settings.placed(patch, layer.size, masks[number] if masks else None)
            samples = known(number)
            if samples is None:

                def report(progress: Progress, number: int = number) -> None:
                    on_progress(replace(progress, coat=number))

                made = make_patch(
                    source,
                    placed,
                    work,
                    on_progress=report,
                    stopping=stopping,
                    executor=executor,
                )
                fresh = made.samples
                reports.append((number, made.fired))
            else:
                fresh = Pixels(samples)
            lay_patch(canvas, layer, fresh, placed, settings.match)
    return reports


def from_box(given: dict[str, Any], layer: Size) -> dict[str, Any]:
    """Convert the JSON of an early touch-up, with a box in place of patches, to the present form."""
    box, feather = Box(*given["box"]), given["feather"]
    patch = Patch(
        mask=box_mask(box, layer, feather), working=given["working"],
        strength=given["refine"]["strength"], seed=given["refine"]["seed"],
    )  # fmt: skip
    return {
        "patches": [to_json(patch)],
        "context": given["context"],
        "match": 0.0,
        "refine": given["refine"],
    }


def copied(layer: Picture, path: Path) -> Canvas:
    """Return a new canvas file with the layer's samples."""
    if isinstance(layer, Canvas):
        shutil.copyfile(layer.path, path)
        return Canvas(path)
    canvas = Canvas.create(path, Box.whole(layer.size), layer.channels)
    for band in canvas.bands():
        canvas.write(band, layer.read(band))
    return canvas
