"""Grids and feathers."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.geometry import Box, Size
from enamel.core.refine.tiling import Grid, ramp


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


@given(grid=grids(), share=st.tuples(st.floats(0, 1), st.floats(0, 1)), side=st.integers(16, 300))
def test_a_moved_window_stays_inside_and_needs_no_more_tiles(
    grid: Grid, share: tuple[float, float], side: int
) -> None:
    width, height = min(side, grid.size.width), min(side, grid.size.height)
    left = round(share[0] * (grid.size.width - width))
    top = round(share[1] * (grid.size.height - height))
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
