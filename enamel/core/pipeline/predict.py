"""Predict the cost of a firing: tiles, network work, time, memory, disk."""

import os
from dataclasses import dataclass, field

import numpy as np

from enamel.core.diffusion.denoiser import Condition, Denoiser
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import BAND_BYTES, FILLERS
from enamel.core.pipeline.firing import BLOCK, Stage, regions_of, stages
from enamel.core.pipeline.pace import Kind, Paces, Portion
from enamel.core.schedule import Mode, Refine, Schedule
from enamel.core.tiling.executor import AHEAD
from enamel.core.tiling.joint import core_tile, margin_of
from enamel.core.tiling.passes import work_of
from enamel.core.tiling.separate import network_tile
from enamel.core.timing import median_seconds

SAMPLE_BYTES = 2
STATE_BYTES = 4
PROCESS_MB = 160.0
"""Memory of the process with its libraries before any picture, measured."""
BLOCK_BYTES_PER_PX = 100
"""Memory of a block while it is enlarged or joined, measured."""
SMALLEST_TIMED = 256
"""Least side in px of the tile that a refiner's speed is measured on; on smaller ones overhead dominates."""
WRITING_SECONDS = 0.1
"""Seconds for a megapixel of a window: reading, writing and joining; measured on two cores."""


@dataclass(frozen=True, slots=True)
class CoatCost:
    """The cost of one coat."""

    size: Size
    tiles: int
    tasks: int
    """Tasks counted by progress: tiles, in joint mode for each evaluation."""
    evaluations: int
    """Network calls per pixel; Heun's steps count twice, guidance doubles."""
    megapixel_steps: float
    """Megapixels the network sees, over all tiles and evaluations."""
    enlarge_seconds: float
    refine_seconds: float
    settle_seconds: float
    memory_mb: float
    disk_mb: float
    tile: Size = Size(0, 0)
    """Size of the tiles, in joint mode of the parts computed at once; None where nothing is refined."""

    @property
    def work_ratio(self) -> float:
        """Area that the network sees at each evaluation, with overlaps and margins, relative to the
        picture's.
        """
        return self.megapixel_steps / max(1, self.evaluations) / self.size.megapixels

    @property
    def seconds(self) -> float:
        return self.enlarge_seconds + self.refine_seconds + self.settle_seconds


@dataclass(frozen=True, slots=True)
class Prediction:
    """The cost of a schedule: times add up; memory is that of the largest coat."""

    coats: tuple[CoatCost, ...] = field(default=())

    @property
    def seconds(self) -> float:
        return sum(coat.seconds for coat in self.coats)

    @property
    def tiles(self) -> int:
        return sum(coat.tiles for coat in self.coats)

    @property
    def megapixel_steps(self) -> float:
        return sum(coat.megapixel_steps for coat in self.coats)

    @property
    def memory_mb(self) -> float:
        return max((coat.memory_mb for coat in self.coats), default=PROCESS_MB)

    @property
    def disk_mb(self) -> float:
        """Disk space: layers stay, working files of a coat only exist while it runs."""
        layers = sum(coat.size.megapixels * 3 * SAMPLE_BYTES for coat in self.coats)
        return layers + max((coat.disk_mb for coat in self.coats), default=0.0)


def measured_rate(denoiser: Denoiser) -> float:
    """Return megapixels per second of the network here, on a tile of its native size, median of three."""
    spec = denoiser.spec
    side = -(-max(spec.native_tile, SMALLEST_TIMED) // spec.grid) * spec.grid
    condition = Condition(np.zeros((side, side, 3), np.float32), "" if spec.reads_prompts else None)
    cells = side // spec.space.factor
    x = np.zeros((cells, cells, spec.space.channels), np.float32)
    return (
        side * side / 1e6 / median_seconds(lambda: denoiser.predict(x, spec.sigma_min, condition))
    )


def predict(schedule: Schedule, base: Size, paces: Paces) -> Prediction:
    """Return the predicted cost of firing the schedule on a base of that size.

    Parameters
    ----------
    paces : this machine's speeds.
    """
    found, start = [], base
    for stage in stages(schedule, base):
        found.append(_cost(stage, start, paces))
        start = stage.size
    return Prediction(tuple(found))


def predict_window(schedule: Schedule, base: Size, window: Box, paces: Paces) -> float:
    """Return the seconds for only a window of a schedule's result, with all that it depends on.

    Parameters
    ----------
    window : in px of the last coat's result.
    paces : as for `predict`.
    """
    run = stages(schedule, base)
    seconds, start = 0.0, base
    for stage, region in zip(run, regions_of(run, base, window), strict=True):
        needed = stage.needed(region)
        fraction = needed.area / Box.whole(stage.size).area
        seconds += paces.total(enlarging(stage, start)) * fraction
        seconds += needed.area / 1e6 * WRITING_SECONDS
        if stage.refining is not None:
            work = work_of(stage.refining, stage.refined(region))
            seconds += paces.seconds(refining(stage.refining.settings, work.megapixels))
        start = stage.size
    return seconds


def enlarging(stage: Stage, start: Size) -> list[Portion]:
    """Return the work of a coat's upscaler."""
    if stage.size == start:
        return []
    made = stage.upscaler.work(start, stage.size)
    return [Portion(Kind.ENLARGE, amount, name) for name, amount in made.items()]


def refining(settings: Refine, megapixels: float) -> Portion:
    """Return the megapixels that a coat's refiner sees."""
    width, height = settings.tile
    return Portion(Kind.REFINE, megapixels, settings.model, str(settings.mode), f"{width}x{height}")


def settling(size: Size) -> Portion:
    """Return the work of storing, preparing and checking a finished layer."""
    return Portion(Kind.SETTLE, size.megapixels)


def _cost(stage: Stage, start: Size, paces: Paces) -> CoatCost:
    megapixels = stage.size.megapixels
    enlarged = megapixels * 3 * SAMPLE_BYTES
    enlarges, settles = paces.total(enlarging(stage, start)), paces.seconds(settling(stage.size))
    filling = min(os.cpu_count() or 1, FILLERS) * BLOCK * BLOCK * BLOCK_BYTES_PER_PX
    memory = PROCESS_MB + (BAND_BYTES + filling) / 1e6
    spec = stage.refining
    if spec is None:
        return CoatCost(stage.size, 0, 0, 0, 0.0, enlarges, 0.0, settles, memory, enlarged)
    settings, model = spec.settings, spec.model
    work = work_of(spec)
    joint = settings.mode is Mode.JOINT and not spec.blends
    margin = margin_of(model) if joint else 0
    tile = (core_tile if joint else network_tile)(spec)
    widest = min(tile.width + 2 * margin, stage.size.width) * min(
        tile.height + 2 * margin, stage.size.height
    )
    memory += widest * (model.bytes_per_pixel + (AHEAD + 2) * 40) / 1e6
    fields = max(sampler_step.fields_out for sampler_step in spec.plan)
    cells = megapixels * model.space.channels / model.space.factor**2 * STATE_BYTES
    states = 2 * fields * cells if joint else work.kept * 3 * SAMPLE_BYTES
    if spec.blends:  # two states, the estimates of one step, and the picture as it was imported
        states += 2 * fields * cells + 2 * cells
    copies = 1 + (settings.hold < 1) + (settings.guided) + settings.needs_base
    copies += settings.joins is not None
    return CoatCost(
        stage.size,
        work.tiles,
        work.tasks,
        work.evaluations,
        work.megapixels,
        enlarges,
        paces.seconds(refining(settings, work.megapixels)),
        settles,
        memory,
        enlarged * copies + states,
        tile,
    )
