"""Run a schedule: coat after coat, from a base to its layers, or to a window of the last one.

Work is stored in folders named by content key. So a repeated call goes on where the last one ended, and a
coat whose settings have not changed is not computed again.
"""

import math
import shutil
import time
from concurrent.futures import Executor
from contextlib import ExitStack
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from enamel.core import ENGINE_VERSION
from enamel.core.diffusion.denoiser import Denoiser, Holding
from enamel.core.diffusion.refiners import refiner_of
from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.files import put_in_place, whole_file
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Picture, SampleArray, digest_of, filled
from enamel.core.imaging.soften import WEAK_HOLD, Softened, gaussian_taps, softening_at
from enamel.core.memory import peak_memory_mb
from enamel.core.progress import OnProgress, StopSign, ignore, never
from enamel.core.schedule import Coat, Schedule, content_key
from enamel.core.tiling import anchor
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.passes import reach, refine
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.spread import default_executor, tasks_ahead
from enamel.core.tiling.tilestore import TileStore
from enamel.core.upscaling import Enlarged, Upscaler, chosen, mixed, reach_of
from enamel.core.upscaling.enlarge import Channels

BLOCK = 1024
ENLARGED = "enlarged.npy"
RGB = slice(0, 3)


@dataclass(frozen=True, slots=True)
class Stage:
    """One coat of a schedule on a certain picture, with the models it names, ready to run."""

    number: int
    coat: Coat
    size: Size
    upscaler: Upscaler
    denoiser: Denoiser | None
    """None when the coat refines nothing: no refinement, or strength 0."""
    refining: PassSpec | None
    """The pass of its refinement."""

    @property
    def needs_base(self) -> bool:
        """Whether its result also depends on the base, besides the last layer."""
        return self.refining is not None and self.refining.settings.needs_base

    @property
    def recipe(self) -> dict[str, Any]:
        """Everything that, with the parent's pixels, determines the result."""
        spec = self.denoiser.spec if self.denoiser else None
        return {
            "engine": ENGINE_VERSION,
            "coat": to_json(self.coat),
            "size": list(self.size),
            "upscaler": self.upscaler.digest,
            "refiner": spec.digest if spec else None,
        }

    def needed(self, region: Box) -> Box:
        """Return the part of the enlarged picture that computing the region reads."""
        if self.refining is None:
            return region
        blurs = softenings(self.refining)
        margin = max((len(gaussian_taps(sigma)) // 2 for sigma in blurs), default=0)
        inner = reach(self.refining, self.refined(region))
        return inner.grown(margin).intersection(Box.whole(self.size))

    def refined(self, region: Box) -> Box:
        """Return the part that has to be refined for the region; it is larger where colour is anchored."""
        settings = self.coat.refine
        if settings is None or settings.anchor == 0:
            return region
        wider = region.grown(anchor.margin(settings.anchor_radius))
        cell = anchor.cell_of(settings.anchor_radius)
        return wider.snapped_out(cell).intersection(Box.whole(self.size))


def softenings(spec: PassSpec) -> list[float]:
    """Return the blurs of the structure, in px, for hold below 1 and guidance other than 1."""
    settings, model = spec.settings, spec.model
    if model.holding is Holding.GUIDE:
        return []
    softened = [softening_at(settings.hold, model.softening)] if settings.hold < 1 else []
    if model.holding is Holding.START:
        return softened
    unconditional = [softening_at(WEAK_HOLD * settings.hold, model.softening)]
    return softened + (unconditional if settings.guided else [])


def stages(schedule: Schedule, base: Size) -> list[Stage]:
    """Return the schedule's coats with their sizes and models; a `Refusal` names what is missing."""
    found = []
    sizes = schedule.sizes(base)
    starts = [base, *sizes]
    for number, (coat, size) in enumerate(zip(schedule.laid, sizes, strict=True)):
        upscaler, settings = chosen(coat), coat.refinement
        denoiser = refiner_of(settings) if settings else None
        refining = None
        if settings is not None and denoiser is not None:
            lost = fraction_lost(upscaler.factor, size.width / starts[number].width)
            scaled = replace(settings, restore=settings.restore * lost)
            refining = PassSpec(scaled, denoiser.spec, size)
        found.append(Stage(number, coat, size, upscaler, denoiser, refining))
    return found


def fraction_lost(native: int | None, factor: float) -> float:
    """Return the fraction of detail that counts as lost by enlarging, 0…1, where interpolation alone
    loses all.

    A trained upscaler runs up to its own factor or a power of it and its result is resampled down; the
    farther down, the more detail each pixel of it has. The root of that share fits what was measured
    with Vitreous at 2× (docs/research/models.md).
    """
    if native is None or native < 2 or factor <= 1:
        return 1.0
    reached = native ** math.ceil(math.log(factor, native) - 1e-9)
    return math.sqrt(factor / reached)


@dataclass(slots=True)
class StageReport:
    """The time and work of one coat."""

    size: Size
    reused: bool = False
    tiles: int = 0
    """Tile evaluations in this run; fewer than predicted when some were finished before."""
    shared: int = 0
    """Tiles that another run had left in the store."""
    enlarge_seconds: float = 0.0
    refine_seconds: float = 0.0
    model_seconds: float = 0.0
    """Time inside the network, part of refine_seconds."""


@dataclass(frozen=True, slots=True)
class CoatResult:
    """A coat's result: its pixels, and what they were made from."""

    content_key: str
    recipe: dict[str, Any]
    canvas: Canvas
    enlarged: Path | None = None
    """The canvas that was refined, where it was to be kept."""


@dataclass(slots=True)
class FiringResult:
    """The results and reports of a firing, one for each coat."""

    layers: list[CoatResult] = field(default_factory=list)
    reports: list[StageReport] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def result(self) -> Canvas:
        return self.layers[-1].canvas

    def to_json(self) -> dict[str, Any]:
        """Return the report as JSON."""
        model = sum(report.model_seconds for report in self.reports)
        return {
            "engine": ENGINE_VERSION,
            "seconds": round(self.seconds, 3),
            "model_seconds": round(model, 3),
            "model_fraction": round(model / self.seconds, 4) if self.seconds else None,
            "peak_memory_mb": round(peak_memory_mb(), 1),
            "stages": [
                asdict(report) | {"size": list(report.size), "recipe": layer.recipe}
                for report, layer in zip(self.reports, self.layers, strict=True)
            ],
        }


def fire(
    base: Picture,
    schedule: Schedule,
    work: Path,
    *,
    window: Box | None = None,
    on_progress: OnProgress = ignore,
    stopping: StopSign = never,
    executor: Executor | None = None,
    origin: Picture | None = None,
    store: TileStore | None = None,
    enlargements: Path | None = None,
    keep_enlarged: bool = False,
) -> FiringResult:
    """Run a schedule on a base.

    Parameters
    ----------
    base : picture of 3 or 4 channels.
    schedule : the coats.
    work : folder for finished work; the same call on the same folder goes on from it.
    window : the part of the last coat's result that is wanted, in its px; all of it when left out.
        Its pixels are the same as that part of the whole.
    on_progress : called with after every tile.
    stopping : asked before every tile.
    executor : where tiles are computed; a thread of this process, or ``ENAMEL_CLUSTER``, when
        left out.
    origin : what blends and guides mean by the base, when the run starts from a later layer.
    store : where tiles of separate passes are shared with other runs.
    enlargements : folder in which enlarged parts stay for other runs; deleting it is the caller's.
    keep_enlarged : whether what each coat refined stays in its folder, for checks of the result.

    Returns
    -------
    One `CoatResult` for each coat, its canvas covering what was needed of it.

    Raises
    ------
    Refusal
        If a model is missing, or the window lies outside the result.
    Stopped
        If the stop sign showed; finished tiles are kept.
    """
    began = time.perf_counter()
    run = stages(schedule, base.size)
    regions = regions_of(run, base.size, window)
    fired = FiringResult()
    picture, parent = base, digest_of(base)
    origin = origin or base
    root = digest_of(origin) if any(stage.needs_base for stage in run) else parent
    with ExitStack() as stack:
        pool = executor or stack.enter_context(default_executor())
        for stage, region in zip(run, regions, strict=True):
            whole = region == Box.whole(stage.size)
            name = coat_key(stage, parent, root)
            place = name if whole else content_key(name, str(region))
            tiles = TileExecutor(
                pool, stage.number, on_progress, stopping, tasks_ahead(pool), store
            )
            laying = CoatRun(
                stage,
                picture,
                origin,
                region,
                work / place[:32],
                tiles,
                parent,
                enlargements,
                keep_enlarged,
            )
            canvas = laying.run()
            enlarged = laying.folder / ENLARGED
            kept = enlarged if keep_enlarged and enlarged.exists() else None
            fired.layers.append(CoatResult(name, stage.recipe, canvas, kept))
            fired.reports.append(laying.report)
            picture, parent = canvas, canvas.digest() if whole else place
    fired.seconds = time.perf_counter() - began
    return fired


def coat_key(stage: Stage, parent: str, base: str) -> str:
    """Return the content key of a coat's result: a hash of the pixels it was made from and everything
    done to them.
    """
    if stage.needs_base:
        return content_key(parent, stage.recipe, base)
    return content_key(parent, stage.recipe)


def regions_of(run: list[Stage], base: Size, window: Box | None) -> list[Box]:
    """Return the part of each coat's result that the window of the last one depends on."""
    last = run[-1].size
    region = window or Box.whole(last)
    if region.empty or not Box.whole(last).contains(region):
        raise Refusal(f"The window, {region}, does not lie inside the result of {last}.")
    regions = [region]
    sizes = [base, *(stage.size for stage in run)]
    for stage, source in zip(reversed(run[1:]), reversed(sizes[1:-1]), strict=True):
        needed = stage.needed(regions[0])
        if stage.size != source:
            needed = reach_of(stage.upscaler, source, stage.size, needed)
        regions.insert(0, needed)
    return regions


@dataclass
class CoatRun:
    """Lays one coat: enlarges what is needed, refines the region, leaves ``layer.npy``."""

    stage: Stage
    source: Picture
    origin: Picture
    region: Box
    folder: Path
    executor: TileExecutor
    parent: str = ""
    """Content key of the source's pixels."""
    enlargements: Path | None = None
    keep_enlarged: bool = False

    def __post_init__(self) -> None:
        self.report = StageReport(self.stage.size)

    def run(self) -> Canvas:
        finished = self.folder / "layer.npy"
        if finished.exists():
            self.report.reused = True
        else:
            self._lay(finished)
        return Canvas(finished, (self.region.x, self.region.y), self.stage.size)

    def _lay(self, finished: Path) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        began = time.perf_counter()
        needed = self.stage.needed(self.region)
        enlarged: Picture = self.source
        if self.stage.size != self.source.size:
            lazy = Enlarged(self.source, self.stage.size, self.stage.upscaler)
            enlarged = materialise(lazy, needed, self._enlarged_file(needed))
        self.report.enlarge_seconds = time.perf_counter() - began
        began = time.perf_counter()
        if self.stage.denoiser is not None and self.stage.refining is not None:
            refined: Picture = self._refine(enlarged, self.stage.denoiser, self.stage.refining)
            if enlarged.channels == 4:
                refined = WithAlpha(refined, enlarged)
        else:
            refined = enlarged
        self._keep(refined, finished)
        self.report.refine_seconds = time.perf_counter() - began
        for leftover in self.folder.iterdir():
            if leftover != finished and not (self.keep_enlarged and leftover.name == ENLARGED):
                shutil.rmtree(leftover) if leftover.is_dir() else leftover.unlink()

    def _enlarged_file(self, needed: Box) -> Path:
        if self.enlargements is None:
            return self.folder / ENLARGED
        upscaler, size = self.stage.upscaler.digest, list(self.stage.size)
        return self.enlargements / f"{content_key(self.parent, upscaler, size, str(needed))}.npy"

    def _refine(self, enlarged: Picture, denoiser: Denoiser, spec: PassSpec) -> Picture:
        wanted, settings = self.stage.refined(self.region), spec.settings
        pictures = self._pictures(_colour(enlarged), spec, reach(spec, wanted))
        try:
            refined = refine(spec, denoiser, pictures, wanted, self.folder, self.executor)
        finally:
            self.report.model_seconds = self.executor.model_seconds
            self.report.tiles = self.executor.tasks_run
            self.report.shared = self.executor.tasks_shared
        if settings.anchor > 0:
            return anchor.Anchored(
                refined, pictures.source, settings.anchor, settings.anchor_radius, spec.left()
            )
        return refined

    def _pictures(self, layer: Picture, spec: PassSpec, inner: Box) -> PassPictures:
        """Return the pictures that the pass reads, computed once for all tiles."""
        settings, softening = spec.settings, spec.model.softening
        source = guide = layer
        if self.stage.needs_base:
            lazy = _colour(Enlarged(self.origin, self.stage.size, self.stage.upscaler))
            base = materialise(lazy, self.stage.needed(self.region), self.folder / "base.npy")
            source = mixed(layer, base, settings.blend)
            guide = mixed(layer, base, settings.guide)
        if spec.model.holding is Holding.GUIDE:
            return PassPictures(source, guide, guide if settings.guided else None)
        if spec.model.holding is Holding.START:
            start = source
            if settings.hold < 1:
                softened = Softened(source, softening_at(settings.hold, softening))
                start = materialise(softened, inner, self.folder / "start.npy")
            return PassPictures(source, start, start if settings.guided else None)
        structure, unconditional = guide, None
        if settings.hold < 1:
            softened = Softened(guide, softening_at(settings.hold, softening))
            structure = materialise(softened, inner, self.folder / "structure.npy")
        if settings.guided:
            softened = Softened(guide, softening_at(WEAK_HOLD * settings.hold, softening))
            unconditional = materialise(softened, inner, self.folder / "unconditional.npy")
        return PassPictures(source, structure, unconditional)

    def _keep(self, refined: Picture, finished: Path) -> None:
        """Make the refined pixels the layer, by renaming their file where it holds nothing else."""
        own = isinstance(refined, Canvas) and refined.path.parent == self.folder
        if isinstance(refined, Canvas) and own and refined.region == self.region:
            put_in_place(refined.path, finished)
        else:
            materialise(refined, self.region, finished)


def _colour(picture: Picture) -> Picture:
    return Channels(picture, RGB) if picture.channels > 3 else picture


class WithAlpha:
    """The colour of one picture with the alpha of another of the same size."""

    channels = 4

    def __init__(self, colour: Picture, alpha: Picture) -> None:
        self.size = colour.size
        self.colour = colour
        self.alpha = alpha

    def read(self, box: Box) -> SampleArray:
        return np.concatenate([self.colour.read(box), self.alpha.read(box)[..., 3:]], axis=2)


def materialise(picture: Picture, region: Box, path: Path) -> Canvas:
    """Compute a region of a picture into a canvas file, written atomically."""
    if not path.exists():
        with (
            whole_file(path) as partial,
            Canvas.create(partial, region, picture.channels, size=picture.size) as canvas,
        ):
            filled(canvas, picture.read, BLOCK)
    return Canvas(path, (region.x, region.y), picture.size)
