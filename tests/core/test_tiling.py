"""Grids and feathers."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.geometry import Box, Size
from enamel.core.networks.cards import card
from enamel.core.schedule import Fit, Mode, Refine
from enamel.core.tiling.grid import STRETCH, Grid, fitting_side, ramp
from enamel.core.tiling.passes import work_of
from enamel.core.tiling.passspec import PassSpec


@st.composite
def grids(draw: st.DrawFn) -> Grid:
    tile = Size(draw(st.integers(8, 40)) * 8, draw(st.integers(8, 40)) * 8)
    size = Size(draw(st.integers(8, 120)) * 8, draw(st.integers(8, 120)) * 8)
    return Grid(size, tile, draw(st.integers(0, min(tile) // 2)), 8)


@given(grid=grids())
def test_weights_of_all_tiles_sum_to_one_everywhere(grid: Grid) -> None:
    total = np.zeros((grid.size.height, grid.size.width, 1), np.float32)
    for tile in grid.tiles:
        total[tile.box.slices] += grid.weight(tile)
    np.testing.assert_allclose(total, 1, atol=1e-6)


@given(grid=grids())
def test_neighbours_overlap_by_what_was_asked_or_more(grid: Grid) -> None:
    for origins, side in ((grid.columns, grid.tile.width), (grid.rows, grid.tile.height)):
        for before, after in zip(origins, origins[1:], strict=False):
            assert before + side - after >= grid.overlap
            assert after > before


@given(
    length=st.integers(8, 2000), tile=st.integers(8, 128), overlap=st.integers(0, 512),
)  # fmt: skip
def test_fitted_tiles_overlap_by_little_more_than_what_was_asked(
    length: int, tile: int, overlap: int
) -> None:
    length, tile, overlap = 8 * length, 8 * tile, min(overlap, 4 * tile)
    side = fitting_side(length, tile, overlap, 8)
    grid = Grid(Size(length, side), Size(side, side), overlap, 8)
    count, overlap = len(grid.columns), -(-overlap // 8) * 8
    assert side % 8 == 0
    assert side <= STRETCH * tile
    assert count == 1 or 2 * overlap <= side
    if side > 2 * overlap:  # all that is computed twice, but for rounding the side up to the grid
        assert count * side - length < (count - 1) * overlap + 8 * count


DEMO_AND_A4 = [
    Size(2016, 1344),
    Size(1664, 2432),
    Size(3508, 2480),
    Size(2480, 3508),
    Size(4409, 2480),
]


@pytest.mark.parametrize("size", DEMO_AND_A4, ids=str)
def test_fitted_tiles_cost_a_quarter_more_than_the_picture_at_most(size: Size) -> None:
    spec = card("grisaille", "refiner").spec()
    fitted, exact = (
        work_of(PassSpec(Refine(fit=fit), spec, size)) for fit in (Fit.AUTO, Fit.EXACT)
    )
    ratio = fitted.megapixels / fitted.evaluations / size.megapixels
    assert ratio <= 1.25
    assert fitted.megapixels <= exact.megapixels


def test_joint_cores_where_none_are_asked_for_cost_less() -> None:
    spec, size = card("grisaille", "refiner").spec(), Size(2016, 1344)
    fitted, exact = (
        work_of(PassSpec(Refine(fit=fit, mode=Mode.JOINT), spec, size))
        for fit in (Fit.AUTO, Fit.EXACT)
    )
    assert fitted.megapixels < 0.9 * exact.megapixels


@given(grid=grids())
def test_tiles_cover_the_picture_and_nothing_else(grid: Grid) -> None:
    covered = np.zeros((grid.size.height, grid.size.width), bool)
    for tile in grid.tiles:
        assert Box.whole(grid.size).contains(tile.box)
        assert tile.box.x % 8 == tile.box.y % 8 == 0
        covered[tile.box.slices] = True
    assert covered.all()


def test_a_picture_smaller_than_the_tile_is_one_tile_of_full_weight() -> None:
    grid = Grid(Size(96, 64), Size(512, 512), 64, 8)
    (tile,) = grid.tiles
    assert tile.box == Box(0, 0, 96, 64)
    assert (grid.weight(tile) == 1).all()


def test_a_ramp_and_its_mirror_sum_to_one() -> None:
    np.testing.assert_allclose(ramp(64) + ramp(64)[::-1], 1, atol=1e-6)


@given(
    grid=grids(), fraction=st.tuples(st.floats(0, 1), st.floats(0, 1)), side=st.integers(16, 300)
)
def test_a_moved_window_stays_inside_and_needs_no_more_tiles(
    grid: Grid, fraction: tuple[float, float], side: int
) -> None:
    width, height = min(side, grid.size.width), min(side, grid.size.height)
    left = round(fraction[0] * (grid.size.width - width))
    top = round(fraction[1] * (grid.size.height - height))
    window = Box(left, top, width, height)
    moved = grid.nearest_with_fewest(window)
    assert Box.whole(grid.size).contains(moved)
    assert moved.size == window.size
    assert abs(moved.x - left) <= width // 2
    assert abs(moved.y - top) <= height // 2
    needed = len(grid.touching(moved))
    assert needed <= len(grid.touching(window))
    for x in range(max(0, left - width // 2), min(grid.size.width - width, left + width // 2) + 1):
        assert needed <= len(grid.touching(Box(x, moved.y, width, height)))
