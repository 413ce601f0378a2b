"""The tiled engine: a picture is re-noised and denoised tile by tile, to pixels that no cut decides.

Two modes behind one function: `separate`, and joint, which is `joint` for networks that look only so far
and `blended` for those that look at a whole tile. Everything is computed for a region, the whole
picture being one; what a region's pixels are does not depend on which region was asked for. Finished
work is kept in a folder; the same call resumes from it.
"""

from dataclasses import dataclass
from pathlib import Path

from enamel.core.diffusion.denoiser import Denoiser
from enamel.core.errors import Refusal
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.schedule import Mode
from enamel.core.tiling import blended, joint, separate
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.passspec import PassPictures, PassSpec

MOST_TASKS = 500_000
"""Most tiles of a pass; in joint mode, of all evaluations."""


def refine(
    spec: PassSpec,
    denoiser: Denoiser,
    pictures: PassPictures,
    region: Box,
    folder: Path,
    executor: TileExecutor,
) -> Canvas:
    """Return the refined pixels of a region, as a canvas in ``folder``.

    Raises
    ------
    Stopped
        If the executor was asked to stop; finished work is kept in the folder.
    """
    padded = pictures.padded(spec)
    kind: type[blended.BlendedPass | joint.JointPass | separate.SeparatePass]
    if spec.blends:
        kind = blended.BlendedPass
    elif spec.settings.mode is Mode.JOINT:
        kind = joint.JointPass
    else:
        kind = separate.SeparatePass
    return kind(spec, denoiser, padded, executor, folder).refine(region)


def reach(spec: PassSpec, region: Box) -> Box:
    """Return the part of the enlarged picture that refining the region reads."""
    mode = joint if spec.settings.mode is Mode.JOINT else separate
    if spec.blends:
        mode = blended
    return mode.reach(spec, region).intersection(Box.whole(spec.size))


@dataclass(frozen=True, slots=True)
class Work:
    """The amount of work in a pass."""

    tiles: int
    """Tiles of the picture, those over the joins apart."""
    tasks: int
    """Tasks counted by progress: tiles, in joint mode for each evaluation."""
    evaluations: int
    """Network calls per pixel; Heun's steps count twice, guidance doubles."""
    megapixels: float
    """Megapixels that the network sees, over all tiles and evaluations."""
    kept: float
    """Megapixels of finished tiles that lie on disk until the pass ends."""


def work_of(spec: PassSpec, region: Box | None = None) -> Work:
    """Return the amount of work in a pass over a region, or the whole, by arithmetic.

    Raises
    ------
    Refusal
        When there would be more than `MOST_TASKS`.
    """
    settings, cost = spec.settings, spec.model.space.coding_cost
    region = region or Box.whole(spec.size)
    each, evaluations = settings.calls, len(spec.plan)
    if spec.blends:
        tiles, tasks, seen = blended.counted(spec, region)
        seen = seen * each + region.area / 1e6 * cost
        work = Work(tiles, tasks, evaluations * each, seen, spec.size.megapixels)
    elif settings.mode is Mode.JOINT:
        tasks, seen = joint.counted(spec, region)
        work = Work(tasks // evaluations, tasks, evaluations * each, seen * each, 0.0)
    else:
        first, over = separate.counted(spec, region)
        area = separate.grid_of(spec).used.megapixels
        again = len(separate.over_joins(spec).plan) if over else 0
        seen = area * (first * evaluations + over * again) * each
        seen += area * (first + over) * cost
        work = Work(first, first + over, evaluations * each, seen, area * (first + over))
    if work.tasks > MOST_TASKS:
        raise Refusal(
            f"This would take {work.tasks:,} pieces of work; at most {MOST_TASKS:,} can be kept "
            "in order. Choose larger tiles, fewer steps or a smaller size."
        )
    return work


def tile_boxes(spec: PassSpec) -> list[Box]:
    """Return the boxes of a pass's tiles with their overlaps, in their order."""
    whole = Box.whole(spec.size)
    if spec.settings.mode is Mode.JOINT and not spec.blends:
        return [box.intersection(whole) for box in joint.cores_of(spec, spec.whole)]
    return [
        tile.box.intersection(whole)
        for group in separate.rounds(spec.settings, separate.grid_of(spec), whole)
        for tile in group
    ]
