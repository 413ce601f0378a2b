"""The tiled engine: a picture is re-noised and denoised tile by tile, to pixels that no cut decides.

Two modes behind one function: `separate`, and joint, which is `joint` for networks that look only so far
and `blended` for those that look at a whole tile. Everything is computed for a region, the whole
picture being one; what a region's pixels are does not depend on which region was asked for. Finished
work lies in a folder; the same call goes on from it.
"""

from dataclasses import dataclass
from pathlib import Path

from enamel.core.diffusion.denoiser import Denoiser, ModelSpec
from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Mirrored, Picture
from enamel.core.schedule import Mode, Refine
from enamel.core.tiling import blended, joint, separate
from enamel.core.tiling.tilework import Pass, Runner, plan

MOST_TASKS = 500_000
"""Tiles of a pass, in joint mode for each evaluation."""


@dataclass(frozen=True)
class Sources:
    """The pictures a pass reads, all of the same size, three channels."""

    source: Picture
    """Where the pass starts from."""
    structure: Picture
    """What the structure is held to; for a refiner that is given none, where the pass starts from with
    as little of the source as hold leaves."""
    unconditional: Picture | None
    """The structure held half as firmly, when guidance is not 1."""


def refine(
    pictures: Sources,
    settings: Refine,
    denoiser: Denoiser,
    region: Box,
    folder: Path,
    runner: Runner,
) -> Canvas:
    """Return the refined pixels of a region, as a canvas in ``folder``.

    Raises
    ------
    Stopped
        If the runner's stop sign showed; finished work is kept in the folder.
    """
    size = pictures.source.size
    padded = size.rounded_up(denoiser.spec.grid)
    work = Pass(
        Mirrored(pictures.source, padded),
        Mirrored(pictures.structure, padded),
        Mirrored(pictures.unconditional, padded) if pictures.unconditional else None,
        settings,
        denoiser,
        size,
    )
    if blends(settings, denoiser.spec):
        return blended.refine_blended(work, runner, region, folder)
    if settings.mode is Mode.JOINT:
        return joint.refine_joint(work, runner, region, folder)
    return separate.refine_separate(work, runner, region, folder)


def reach(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> Box:
    """Return the part of the enlarged picture that refining the region reads."""
    way = joint if settings.mode is Mode.JOINT else separate
    if blends(settings, spec):
        way = blended
    return way.reach(settings, spec, size, region).intersection(Box.whole(size))


def blends(settings: Refine, spec: ModelSpec) -> bool:
    """Return whether a pass is joint by blending estimates; a window is then near the whole, not the same."""
    return settings.mode is Mode.JOINT and spec.radius is None


@dataclass(frozen=True, slots=True)
class Work:
    """How much a pass has to do."""

    tiles: int
    """Tiles of the picture, those over the joins apart."""
    tasks: int
    """Pieces of work that progress counts: tiles, in joint mode for each evaluation."""
    evaluations: int
    """Times the network runs over the picture; Heun's steps count twice, guidance doubles."""
    megapixels: float
    """Megapixels that the network sees, over all tiles and evaluations."""
    kept: float
    """Megapixels of finished tiles that lie on disk until the pass ends."""


def work_of(settings: Refine, spec: ModelSpec, size: Size, region: Box | None = None) -> Work:
    """Return how much a pass over a region, or the whole, has to do: counted, not walked through.

    Raises
    ------
    Refusal
        When there would be more than `MOST_TASKS`.
    """
    region = region or Box.whole(size)
    each, evaluations = settings.calls, len(plan(settings, spec))
    if blends(settings, spec):
        tiles, tasks, seen = blended.counted(settings, spec, size, region)
        seen = seen * each + region.area / 1e6 * spec.space.coding_cost
        work = Work(tiles, tasks, evaluations * each, seen, size.megapixels)
    elif settings.mode is Mode.JOINT:
        tasks, seen = joint.counted(settings, spec, size, region)
        work = Work(tasks // evaluations, tasks, evaluations * each, seen * each, 0.0)
    else:
        first, over = separate.counted(settings, spec, size, region)
        area = separate.grid_of(settings, spec, size).used.megapixels
        again = len(plan(separate.over_joins(settings), spec)) if over else 0
        seen = area * (first * evaluations + over * again) * each
        seen += area * (first + over) * spec.space.coding_cost
        work = Work(first, first + over, evaluations * each, seen, area * (first + over))
    if work.tasks > MOST_TASKS:
        raise Refusal(
            f"This would take {work.tasks:,} pieces of work; at most {MOST_TASKS:,} can be kept "
            "in order. Choose larger tiles, fewer steps or a smaller size."
        )
    return work


def tile_boxes(settings: Refine, spec: ModelSpec, size: Size) -> list[Box]:
    """Return where the tiles of a pass lie on the picture, overlaps included, in the order they come."""
    whole = Box.whole(size)
    if settings.mode is Mode.JOINT and not blends(settings, spec):
        found = joint.cores_of(settings, spec, size, Box.whole(size.rounded_up(spec.grid)))
        return [box.intersection(whole) for box in found]
    grid = separate.grid_of(settings, spec, size)
    return [
        tile.box.intersection(whole)
        for group in separate.rounds(settings, grid, whole)
        for tile in group
    ]
