"""The tiled engine: a picture is re-noised and denoised tile by tile, to pixels that no cut decides.

Two modes, `separate` and `joint`, behind one function. Everything is computed for a region, the whole
picture being one; what a region's pixels are does not depend on which region was asked for. Finished
work lies in a folder; the same call goes on from it.
"""

from dataclasses import dataclass
from pathlib import Path

from enamel.core import joint, separate
from enamel.core.canvas import Canvas, Mirrored, Picture
from enamel.core.diffusion.denoiser import Denoiser, Traits
from enamel.core.geometry import Box, Size
from enamel.core.schedule import Mode, Refine
from enamel.core.tilework import Pass, Runner, plan


@dataclass(frozen=True)
class Sources:
    """The pictures a pass reads, all of the same size, three channels."""

    source: Picture
    """Where the pass starts from."""
    structure: Picture
    """What the structure is held to."""
    weak: Picture | None
    """The structure held half as firmly, when guidance is not 1."""


def refine(
    pictures: Sources,
    settings: Refine,
    denoiser: Denoiser,
    region: Box,
    folder: Path,
    runner: Runner,
) -> Canvas:
    """The refined pixels of a region, as a canvas in ``folder``.

    Raises
    ------
    Stopped
        If the runner's stop sign showed; finished work is kept in the folder.
    """
    size = pictures.source.size
    padded = size.rounded_up(denoiser.traits.grid)
    work = Pass(
        Mirrored(pictures.source, padded),
        Mirrored(pictures.structure, padded),
        Mirrored(pictures.weak, padded) if pictures.weak else None,
        settings,
        denoiser,
        size,
    )
    if settings.mode is Mode.JOINT:
        return joint.refine_joint(work, runner, region, folder)
    return separate.refine_separate(work, runner, region, folder)


def reach(settings: Refine, traits: Traits, size: Size, region: Box) -> Box:
    """The part of the enlarged picture that refining the region reads."""
    mode = joint if settings.mode is Mode.JOINT else separate
    return mode.reach(settings, traits, size, region).intersection(Box.whole(size))


def count(settings: Refine, traits: Traits, size: Size, region: Box | None = None) -> int:
    """How many pieces of work a pass over the region, or the whole, has: what progress counts."""
    mode = joint if settings.mode is Mode.JOINT else separate
    return mode.count(settings, traits, size, region or Box.whole(size))


def megapixels_seen(settings: Refine, traits: Traits, size: Size, region: Box) -> float:
    """Megapixels that the network sees for a region, over all tiles and evaluations of the pass."""
    if settings.mode is Mode.JOINT:
        margin = joint.margin_of(traits)
        whole = Box.whole(size.rounded_up(traits.grid))
        return sum(
            core.grown(margin).intersection(whole).area / 1e6
            for part in joint.regions_of(settings, traits, size, region)
            for core in joint.cores_of(settings, traits, part)
        )
    needed = separate.Tiles.of(settings, separate.grid_of(settings, traits, size), region)
    first = sum(tile.box.area for group in needed.rounds for tile in group) / 1e6
    seen = first * len(plan(settings, traits))
    if needed.joining:
        again = separate.over_joins(settings)
        seen += sum(tile.box.area for tile in needed.joining) / 1e6 * len(plan(again, traits))
    return seen


def tile_boxes(settings: Refine, traits: Traits, size: Size) -> list[Box]:
    """Where the tiles of a pass lie on the picture, overlaps included, in the order they come."""
    whole = Box.whole(size)
    if settings.mode is Mode.JOINT:
        found = joint.cores_of(settings, traits, Box.whole(size.rounded_up(traits.grid)))
        return [box.intersection(whole) for box in found]
    grid = separate.grid_of(settings, traits, size)
    return [
        tile.box.intersection(whole)
        for group in separate.rounds(settings, grid, whole)
        for tile in group
    ]
