"""Sheets of swatches, and tiles that are never computed twice."""

import os
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.core.checks import check_joins
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels
from enamel.core.pipeline.firing import fire
from enamel.core.pipeline.sheets import Axis, around, cells, in_order
from enamel.core.schedule import Coat, JoinPass, Mix, Order, Refine, Schedule
from enamel.core.tiling.grid import Grid
from enamel.core.tiling.tilestore import ROOM, FolderStore, key_of
from tests.pictures import assert_same_pixels, portrait

COAT = Coat(factor=2.0, refine=Refine(strength=0.3, steps=4))


@pytest.mark.parametrize(
    ("name", "text", "values"),
    [
        ("strength", "0.2, 0.3 0.4", (0.2, 0.3, 0.4)),
        ("strength", "0.2–0.5 in 4", (0.2, 0.3, 0.4, 0.5)),
        ("steps", "4 to 8 in 3", (4, 6, 8)),
        ("seed", "7;7;8", (7, 8)),
        ("upscaler", "lanczos, vitreous", ("lanczos", "vitreous")),
        ("prompt", "brick | brick, moss |", ("brick", "brick, moss", "")),
    ],
)
def test_values_are_lists_or_even_ranges(name: str, text: str, values: tuple[object, ...]) -> None:
    assert Axis.read(name, text).values == values


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("strength", ""),
        ("strength", "soft"),
        ("tile", "1"),
        ("seed", "0–99 in 50"),
        ("steps", "1 2 3 4 5 6 7 8 9 10 11 12 13"),
    ],
)
def test_what_can_not_be_varied_is_refused(name: str, text: str) -> None:
    with pytest.raises(FieldRefusal):
        Axis.read(name, text)


def test_a_sheet_has_a_swatch_for_each_pair() -> None:
    axes = [Axis("strength", (0.2, 0.3)), Axis("seed", (1, 2, 3))]
    found = cells(COAT, axes)
    assert [(cell.row, cell.column) for cell in found] == [
        (r, c) for r in range(3) for c in range(2)
    ]
    assert found[3].label == "Denoising strength 0.3, Seed 2"
    assert found[3].coat.refine == Refine(strength=0.3, steps=4, seed=2)
    assert [cell.coat for cell in cells(COAT, [])] == [COAT]


@pytest.mark.parametrize(
    ("coat", "axes"),
    [
        (Coat(factor=2.0), [Axis("strength", (0.2,))]),
        (COAT, [Axis("weight", (0.2,))]),
        (COAT, [Axis("strength", (0.2, 1.7))]),
        (COAT, [Axis("seed", tuple(range(12))), Axis("steps", (1, 2, 3, 4))]),
        (COAT, [Axis("seed", (1,)), Axis("seed", (2,))]),
    ],
)
def test_sheets_that_can_not_be_are_refused(coat: Coat, axes: list[Axis]) -> None:
    with pytest.raises(Refusal):
        cells(coat, axes)


def test_mixes_are_varied_by_weight() -> None:
    mixed = Coat(factor=2.0, upscaler="lanczos", mix=Mix("nearest", 0.5))
    found = cells(mixed, [Axis("weight", (0.0, 1.0))])
    assert [cell.coat.mix for cell in found] == [Mix("nearest", 0.0), Mix("nearest", 1.0)]


def test_the_cheapest_come_first_then_the_nearest() -> None:
    axes = [Axis("strength", (0.1, 0.3, 0.5)), Axis("steps", (8, 4))]
    order = in_order(cells(COAT, axes), axes, COAT)
    assert [(cell.row, cell.column) for cell in order][:2] == [(1, 1), (1, 0)]
    assert {cell.row for cell in order[3:]} == {0}


def test_a_sheet_around_a_swatch_is_narrower() -> None:
    narrower = around(Axis("strength", (0.2, 0.3, 0.4)), 0.4, (0, 1))
    assert narrower.values == (0.35, 0.4, 0.45)
    assert around(Axis("strength", (0.0, 0.5, 1.0)), 1.0, (0, 1)).values == (0.75, 1.0)
    assert around(Axis("seed", (1, 2)), 2, (0, 9)).values == (1, 2)


def test_a_tile_is_found_by_what_it_was_made_from(tmp_path: Path) -> None:
    store = FolderStore(tmp_path, limit_mb=1)
    samples = np.arange(48, dtype=np.uint16).reshape(4, 4, 3)
    key = key_of("a", samples, None)
    assert store.get(key) is None
    store.put(key, samples)
    kept = store.get(key)
    assert kept is not None
    assert_same_pixels(kept, samples)
    assert key != key_of("a", samples.reshape(2, 8, 3), None)
    assert key != key_of("a", samples + 1, None)
    store._path(key).write_bytes(b"cut short")
    assert store.get(key) is None


def test_the_longest_unused_tiles_are_evicted(tmp_path: Path) -> None:
    store = FolderStore(tmp_path, limit_mb=10)
    samples = np.zeros((64, 64, 3), np.uint16)
    keys = [key_of(number) for number in range(8)]
    for number, key in enumerate(keys):
        store.put(key, samples)
        os.utime(store._path(key), (number, number))
    store.get(keys[0])
    FolderStore(tmp_path, limit_mb=4 * 0.025 / (1 - ROOM)).tidy()
    assert [store.get(key) is not None for key in keys] == [True, *[False] * 4, *[True] * 3]


def put_one(folder: Path, number: int) -> None:
    FolderStore(folder, limit_mb=0.5).put(key_of(number), np.zeros((64, 64, 3), np.uint16))


def test_the_limit_of_the_tile_store_holds_over_many_processes_and_restarts(
    tmp_path: Path,
) -> None:
    limit = 0.5e6
    with ProcessPoolExecutor(2, get_context("fork")) as processes:
        list(processes.map(put_one, [tmp_path] * 60, range(60)))
    for number in range(60, 120):  # each a process that has just started
        put_one(tmp_path, number)
        assert sum(path.stat().st_size for path in tmp_path.glob("*/*.npy")) <= limit
    assert FolderStore(tmp_path, 0.5).get(key_of(119)) is not None
    (tmp_path / "added").unlink()
    put_one(tmp_path, 120)
    assert sum(path.stat().st_size for path in tmp_path.glob("*/*.npy")) <= limit


@settings(max_examples=8, deadline=None)
@given(
    x=st.integers(0, 150), y=st.integers(0, 100), width=st.integers(8, 70), height=st.integers(8, 70),
    order=st.sampled_from(Order), anchor=st.sampled_from([0.0, 0.6]), joins=st.booleans(),
)  # fmt: skip
def test_a_firing_takes_over_every_tile_of_a_swatch_and_gives_the_same_pixels(
    tmp_path_factory: pytest.TempPathFactory, x: int, y: int, width: int, height: int,
    order: Order, anchor: float, joins: bool,
) -> None:  # fmt: skip
    folder = tmp_path_factory.mktemp("sheet")
    refine = Refine(
        strength=0.3, steps=2, tile=(96, 96), overlap=16, order=order, anchor=anchor,
        joins=JoinPass(0.2, 32) if joins else None,
    )  # fmt: skip
    schedule = Schedule((Coat(factor=2.0, refine=refine),))
    base = portrait()
    window = Box(x, y, width, height).intersection(Box.whole(Size(224, 176)))
    store = FolderStore(folder / "store", 100)
    swatch = fire(base, schedule, folder / "swatch", window=window, store=store)
    shared = fire(base, schedule, folder / "whole", store=store)
    plain = fire(base, schedule, folder / "plain")
    assert_same_pixels(shared.result.read(window), swatch.result.read(window))
    assert_same_pixels(
        shared.result.read(Box.whole(shared.result.size)),
        plain.result.read(Box.whole(plain.result.size)),
    )
    assert shared.reports[0].shared == swatch.reports[0].tiles > 0
    assert shared.reports[0].tiles + shared.reports[0].shared == plain.reports[0].tiles


def test_joins_within_a_window_are_judged_as_in_the_whole() -> None:
    size = Size(640, 512)
    grid = Grid(size, Size(256, 256), 64)
    rng = np.random.default_rng(3)
    source = rng.integers(20000, 40000, (512, 640, 3)).astype(np.uint16)
    added = rng.integers(-300, 300, (512, 640, 1))
    join = round(grid.joins[0][1])
    added[:, join:] += 4 * 257  # a planted step
    result = (source + added).astype(np.uint16)
    window = Box(200, 64, 400, 400)
    plain = check_joins(Pixels(source[window.slices]), Pixels(source[window.slices]), grid, window)
    assert plain.visible == []
    report = check_joins(Pixels(result[window.slices]), Pixels(source[window.slices]), grid, window)
    assert report.visible
    assert all(
        abs(segment.box.x + segment.box.width / 2 - (join - 200)) <= 1 for segment in report.visible
    )


def test_other_settings_never_take_a_tile(tmp_path: Path) -> None:
    store = FolderStore(tmp_path / "store", 100)
    base = portrait()

    def fired(**changes: object) -> int:
        refine = Refine(
            **({"strength": 0.3, "steps": 2, "tile": (96, 96), "overlap": 16} | changes)
        )  # type: ignore[arg-type]
        folder = tmp_path / str(len(list(tmp_path.iterdir())))
        run = fire(base, Schedule((Coat(factor=2.0, refine=refine),)), folder, store=store)
        return run.reports[0].shared

    assert fired() == 0
    assert fired() > 0
    for changed in (
        {"strength": 0.31}, {"steps": 3}, {"seed": 1}, {"guidance": 1.5}, {"extra_noise": 0.02},
        {"hold": 0.5}, {"contrast": 1.1}, {"chroma": 0.9}, {"prompt": "brick"}, {"tile": (104, 96)},
    ):  # fmt: skip
        assert fired(**changed) == 0, changed
    assert fired(order=Order.CENTRE_OUT, feather=0.5) > 0


@pytest.mark.parametrize("text", ["9007199254740993", "10000000, 10000001, 10000002, 10000003"])
def test_seeds_keep_every_digit(text: str) -> None:
    axis = Axis.read("seed", text)
    assert list(axis.values) == [int(seed) for seed in text.split(",")]
    coat = Coat(factor=2.0, refine=Refine())
    assert [cell.label for cell in cells(coat, [axis])] == [f"Seed {seed}" for seed in axis.values]


def test_a_range_of_seeds_is_exact_too() -> None:
    assert Axis.read("seed", "9007199254740993 to 9007199254740996 in 4").values == tuple(
        range(9007199254740993, 9007199254740997)
    )


@pytest.mark.parametrize("text", ["inf", "nan", "-inf", "1e999", "9" * 5000, "1" + "0" * 400])
@pytest.mark.parametrize("name", ["steps", "seed", "strength"])
def test_numbers_beyond_all_bounds_are_refused(name: str, text: str) -> None:
    with pytest.raises(FieldRefusal):
        Axis.read(name, text)


def test_a_range_of_very_many_values_is_refused() -> None:
    with pytest.raises(FieldRefusal):
        Axis.read("steps", "1 to 2 in " + "9" * 5000)
