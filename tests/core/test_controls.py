"""Every control has its effect, and the effect it is named for."""

import tracemalloc
from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.core.checks import check_joins
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, Pixels, SampleArray
from enamel.core.imaging.colour import delta_e, lab_of
from enamel.core.pipeline.firing import FiringResult
from enamel.core.pipeline.pace import Paces
from enamel.core.pipeline.predict import predict
from enamel.core.schedule import Coat, Fit, JoinPass, Mode, Order, Refine, Region, Schedule
from enamel.core.tiling.anchor import Anchored
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.passes import refine
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.separate import grid_of, is_first, rounds
from enamel.core.tiling.words import hints, understood
from enamel.core.upscaling import Enlarged, upscaler
from tests.core.conftest import MODES
from tests.networks import PLAIN, Leaning, Still, Told, Wordy
from tests.pictures import STATIONMASTER, assert_same_pixels, distance, part, portrait, whole
from tests.schedules import coat, quick

Fire = Callable[..., FiringResult]
ORDERS = list(Order)


def spread(picture: Picture) -> float:
    """Standard deviation of luma differences between neighbours: fine texture."""
    luma = whole(picture)[..., 1].astype(float)
    return float(np.diff(luma, axis=1).std())


def saturation(picture: Picture) -> float:
    lab = lab_of(whole(picture))
    return float(np.hypot(lab[..., 1], lab[..., 2]).mean())


def test_grit_adds_texture_and_more_grit_more(fired: Fire) -> None:
    found = [spread(fired(coat(extra_noise=extra_noise)).result) for extra_noise in (0, 0.02, 0.06)]
    assert found == sorted(found)
    assert found[2] > 1.02 * found[0]


def test_give_back_restores_lost_detail_and_more_of_it_more(fired: Fire) -> None:
    found = [spread(fired(coat(restore=fraction)).result) for fraction in (0, 0.5, 1)]
    assert found == sorted(found)
    assert found[2] > 1.1 * found[0]


def test_a_refiner_is_given_what_is_missing_and_less_of_it_at_low_strength(
    tmp_path: Path, pool: Executor
) -> None:
    """With one step the estimate is the result, and this network's estimate is what it was told."""
    given = {}
    for strength, fraction in ((0.5, 1.0), (0.5, 0.4), (0.06, 1.0)):
        settings = Refine(strength=strength, restore=fraction, steps=1, tile=(64, 64), overlap=0)
        result = run(Told(), pool, tmp_path / f"{strength}-{fraction}", portrait(), settings)
        given[strength, fraction] = whole(result)[0, 0, 0] / 32767.5 - 1
    assert given[0.5, 1.0] == pytest.approx(1.0, abs=1e-4)
    assert given[0.5, 0.4] == pytest.approx(0.4, abs=1e-4)
    assert given[0.06, 1.0] == pytest.approx(0.06 / 0.15, abs=1e-4)


def test_a_refiner_that_gives_nothing_back_is_not_asked_to(tmp_path: Path, pool: Executor) -> None:
    deaf = Told(replace(Told().spec, restores_detail=False))
    settings = Refine(strength=0.5, steps=1, tile=(64, 64), overlap=0)
    result = run(deaf, pool, tmp_path, portrait(), settings)
    assert abs(whole(result)[0, 0, 0] / 32767.5 - 1) < 1e-4


def test_start_gains_change_contrast_and_colourfulness(fired: Fire) -> None:
    plain = fired(coat(strength=0.9)).result
    assert saturation(fired(coat(strength=0.9, chroma=1.5)).result) > saturation(plain)
    assert saturation(fired(coat(strength=0.9, chroma=0.5)).result) < saturation(plain)
    contrasts = [
        float(whole(fired(coat(strength=0.9, contrast=gain)).result).std())
        for gain in (0.7, 1, 1.3)
    ]
    assert contrasts == sorted(contrasts)


def test_blend_and_guide_lead_back_to_the_base(fired: Fire) -> None:
    first = Coat(factor=1.5, refine=quick(strength=0.9, contrast=0.6))
    target = (336, 264)

    def second(**more: float) -> Picture:
        # what is given back would lead away from the enlarged base as well
        gentle = quick(strength=0.2, steps=2, restore=0.0, **more)
        return fired(Schedule((first, Coat(size=target, refine=gentle)))).result

    base = Enlarged(portrait(), Size(*target), upscaler("lanczos"))
    for name in ("blend", "guide"):
        layer, mix, alone = (
            distance(second(**{name: fraction}), base) for fraction in (1.0, 0.5, 0.0)
        )
        assert mix < layer, name
        assert alone < layer, name


@pytest.mark.parametrize("mode", MODES)
def test_a_window_of_a_blend_is_exact_too(fired: Fire, mode: Mode) -> None:
    schedule = Schedule(
        (
            Coat(factor=1.5, refine=quick(steps=1)),
            Coat(factor=1.5, refine=quick(
                steps=1, mode=mode, blend=0.4, guide=0.7, hold=0.6, extra_noise=0.03, chroma=1.2,
                anchor=0.8, anchor_radius=8,
            )),
        )
    )  # fmt: skip
    complete = whole(fired(schedule).result)
    for window in (Box(0, 0, 30, 20), Box(120, 90, 31, 27)):
        assert_same_pixels(fired(schedule, window).result.read(window), complete[window.slices])


@pytest.mark.parametrize("order", ORDERS)
def test_a_window_is_exact_in_every_order_with_a_join_pass(fired: Fire, order: Order) -> None:
    schedule = coat(
        order=order, joins=JoinPass(0.3, 32), tile=(64, 64), overlap_fraction=0.25, feather=0.5
    )
    complete = whole(fired(schedule).result)
    for window in (Box(0, 0, 30, 20), Box(97, 80, 31, 27), Box(190, 150, 34, 26)):
        assert_same_pixels(fired(schedule, window).result.read(window), complete[window.slices])


def test_rows_and_centre_out_give_the_same_picture_checkerboard_another(fired: Fire) -> None:
    rows, centre, checkerboard = (whole(fired(coat(order=order)).result) for order in
                                  (Order.ROWS, Order.CENTRE_OUT, Order.CHECKERBOARD))  # fmt: skip
    assert_same_pixels(rows, centre)
    assert (rows != checkerboard).any()


def test_orders_are_what_they_are_called() -> None:
    size = Size(640, 448)
    settings_of = Refine(tile=(128, 128), fit=Fit.EXACT, overlap=16)
    grid = grid_of(PassSpec(settings_of, PLAIN, size))
    (centre_out,) = rounds(replace(settings_of, order=Order.CENTRE_OUT), grid, Box.whole(size))
    away = [
        np.hypot(t.box.x + 64 - size.width / 2, t.box.y + 64 - size.height / 2) for t in centre_out
    ]
    assert away == sorted(away)
    (by_rows,) = rounds(settings_of, grid, Box.whole(size))
    assert [tile.index for tile in by_rows] == list(range(len(grid.tiles)))
    part = Box(300, 100, 260, 200)
    (of_part,) = rounds(settings_of, grid, part)
    away = [tile.box.distance_squared(part) for tile in of_part]
    assert away == sorted(away), "a part is made from its middle outwards"
    first, second = rounds(replace(settings_of, order=Order.CHECKERBOARD), grid, Box.whole(size))
    assert len(first) + len(second) == len(grid.tiles)
    for tile in second:
        assert all(is_first(neighbour) for neighbour in grid.neighbours(tile))


def run(
    network: object, pool: Executor, folder: Path, picture: Picture, settings_of: Refine
) -> Picture:
    spec = PassSpec(settings_of, network.spec, picture.size)  # type: ignore[attr-defined]
    return refine(
        spec, network, PassPictures(picture, picture),  # type: ignore[arg-type]
        Box.whole(picture.size), folder, TileExecutor(pool),
    )  # fmt: skip


def test_held_overlap_beats_row_order_and_joint_beats_both(
    tmp_path: Path, pool: Executor, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By the join measure with nothing hidden by the picture's own contrast, with a network that leans on
    its surroundings and so shows its tiles."""
    monkeypatch.setattr("enamel.core.checks.joins.BUSY", 1.0)
    source = Enlarged(
        part(STATIONMASTER, Box(150, 150, 320, 320)), Size(640, 640), upscaler("lanczos")
    )
    picture = Pixels(whole(source))
    plain = Refine(strength=0.6, steps=4, seed=3, tile=(192, 192), fit=Fit.EXACT, overlap=32)
    grid = grid_of(PassSpec(plain, PLAIN, picture.size))
    seen = {}
    for name, more in {
        "hard": {"feather": 0.0}, "rows": {}, "checkerboard": {"order": Order.CHECKERBOARD},
        "join pass": {"joins": JoinPass(0.3, 96)}, "joint": {"mode": Mode.JOINT},
    }.items():  # fmt: skip
        result = run(Leaning(), pool, tmp_path / name, picture, replace(plain, **more))  # type: ignore[arg-type]
        report = check_joins(result, picture, grid)
        seen[name] = float(np.mean([segment.texture for segment in report.segments]))
    assert seen["hard"] > seen["rows"] > seen["checkerboard"] > seen["joint"], seen
    assert seen["rows"] > seen["join pass"], seen


def test_a_planted_step_along_a_join_is_found() -> None:
    source = part(STATIONMASTER, Box(0, 0, 640, 640))
    rng = np.random.default_rng(4)
    added = whole(source).astype(int) + rng.normal(0, 300, (640, 640, 3)).astype(int)
    grid = grid_of(PassSpec(Refine(tile=(256, 256), overlap=32), PLAIN, source.size))
    clean = Pixels(np.clip(added, 0, 65535).astype(np.uint16))
    assert check_joins(clean, source, grid).visible == []
    join = round(grid.joins[0][0])
    added[128:192, join : join + 60] += 2 * 257
    worst = check_joins(Pixels(np.clip(added, 0, 65535).astype(np.uint16)), source, grid).visible[0]
    assert worst.box.x < join < worst.box.right
    assert worst.box.y == 128


def test_a_join_pass_changes_the_bands_and_nothing_else(tmp_path: Path, pool: Executor) -> None:
    picture = portrait(160, 128)
    plain = quick(tile=(64, 64), overlap=16)
    before = whole(run(Leaning(), pool, tmp_path / "a", picture, plain))
    again = replace(plain, joins=JoinPass(0.5, 24))
    after = whole(run(Leaning(), pool, tmp_path / "b", picture, again))
    columns, rows = grid_of(PassSpec(plain, PLAIN, picture.size)).joins
    y, x = np.mgrid[0:128, 0:160] + 0.5
    in_band = np.zeros((128, 160), bool)
    for join in columns:
        in_band |= abs(x - join) <= 12
    for join in rows:
        in_band |= abs(y - join) <= 12
    assert_same_pixels(before[~in_band], after[~in_band])
    assert (before[in_band] != after[in_band]).mean() > 0.5


def test_anchoring_brings_colour_back(fired: Fire) -> None:
    """A result that drifted warm: ΔE00 of its low frequencies before and after."""
    schedule = {"strength": 0.9, "chroma": 1.4, "contrast": 0.9}
    source = Enlarged(portrait(), Size(224, 176), upscaler("lanczos"))

    def drift(picture: Picture) -> float:
        small = Size(14, 11)
        return float(
            delta_e(
                lab_of(whole(Enlarged(picture, small, upscaler("lanczos")))),
                lab_of(whole(Enlarged(source, small, upscaler("lanczos")))),
            ).mean()
        )

    before = drift(fired(coat(**schedule)).result)
    half = drift(fired(coat(**schedule, anchor=0.5, anchor_radius=8)).result)
    after = drift(fired(coat(**schedule, anchor=1.0, anchor_radius=8)).result)
    assert before > half > after
    assert after < before / 2


@settings(max_examples=25)
@given(
    x=st.integers(0, 80), y=st.integers(0, 60), radius=st.integers(8, 40), amount=st.floats(0, 1)
)
def test_an_anchored_window_is_that_part_of_the_whole(
    x: int, y: int, radius: int, amount: float
) -> None:
    warm = Pixels((whole(portrait()) * np.array([0.9, 0.8, 0.7])).astype(np.uint16))
    anchored = Anchored(warm, portrait(), amount, radius)
    window = Box(x, y, 31, 27)
    assert_same_pixels(anchored.read(window), whole(anchored)[window.slices])


def test_a_large_radius_does_not_take_more_memory_than_its_rows_of_cells() -> None:
    class Grey:
        size, channels = Size(6000, 6000), 3

        def read(self, box: Box) -> SampleArray:
            return np.full((box.height, box.width, 3), 30000, np.uint16)

    anchored = Anchored(Grey(), Grey(), 1.0, 512)
    tracemalloc.start()
    anchored.read(Box(2500, 2500, 1024, 1024))
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 80e6


def test_a_constant_shift_is_anchored_away_completely() -> None:
    source = Pixels(np.full((60, 90, 3), 30000, np.uint16))
    shifted = Pixels(np.full((60, 90, 3), 31000, np.uint16))
    assert_same_pixels(whole(Anchored(shifted, source, 1.0, 12)), whole(source))


WORDS = Wordy().spec.vocabulary


def test_words_are_understood_with_synonyms_plurals_and_phrases() -> None:
    found = understood("Signal red wheels, blues; a cobalt KETTLE", WORDS)
    assert [(word.text, word.means) for word in found] == [
        ("Signal red", "red"), ("wheels", None), ("blues", "blue"), ("a", None),
        ("cobalt", "blue"), ("KETTLE", None),
    ]  # fmt: skip
    assert hints("red red cobalt", WORDS).tolist() == pytest.approx([2 / 3, 1 / 3])
    assert hints("kettle", WORDS).tolist() == [0, 0]


@pytest.mark.parametrize("mode", MODES)
def test_words_of_a_region_reach_only_the_tiles_that_touch_it(
    tmp_path: Path, pool: Executor, mode: Mode
) -> None:
    picture = Pixels(np.full((128, 256, 3), 20000, np.uint16))
    settings_of = Refine(
        strength=0.5, steps=1, tile=(64, 64), overlap=0, mode=mode, prompt="blue",
        regions=(Region((0.0, 0.0, 0.25, 0.5), "scarlet lamp"),),
    )  # fmt: skip
    result = whole(run(Wordy(), pool, tmp_path, picture, settings_of)).astype(int) - 20000
    assert (result[:64, :64, 0] > 5000).all()
    assert (abs(result[:64, :64, 2]) < 3).all()
    assert (abs(result[64:, :, 0]) < 3).all()
    assert (abs(result[:, 64:, 0]) < 3).all()
    assert (result[:, 64:, 2] > 5000).all()


def test_a_tile_gets_a_regions_words_by_how_much_of_it_is_covered(
    tmp_path: Path, pool: Executor
) -> None:
    picture = Pixels(np.full((64, 128, 3), 20000, np.uint16))
    half = Refine(strength=0.5, steps=1, tile=(64, 64), overlap=0,
                  regions=(Region((0.0, 0.0, 0.25, 1.0), "red"),))  # fmt: skip
    full = replace(half, regions=(Region((0.0, 0.0, 0.5, 1.0), "red"),))
    some, more = (
        whole(run(Wordy(), pool, tmp_path / str(n), picture, s)).astype(int)[32, 32, 0] - 20000
        for n, s in enumerate((half, full))
    )
    assert some == pytest.approx(more / 2, abs=3)


def test_guidance_moves_away_from_the_negative_prompt(tmp_path: Path, pool: Executor) -> None:
    picture = Pixels(np.full((64, 64, 3), 20000, np.uint16))
    settings_of = Refine(strength=0.5, steps=1, tile=(64, 64), overlap=0, guidance=2.0,
                         prompt="red", negative_prompt="blue")  # fmt: skip
    spec = PassSpec(settings_of, Wordy().spec, picture.size)
    pictures = PassPictures(picture, picture, picture)
    result = refine(spec, Wordy(), pictures, Box(0, 0, 64, 64), tmp_path, TileExecutor(pool))
    red, _, blue = result.read(Box(32, 32, 1, 1))[0, 0].astype(int) - 20000
    assert red > 10000
    assert blue < -5000


def test_overlap_as_a_share_and_feather(fired: Fire) -> None:
    assert Refine(tile=(128, 256), overlap_fraction=0.25).overlap_px == 32
    fraction = whole(fired(coat(overlap_fraction=0.25)).result)
    assert_same_pixels(fraction, whole(fired(coat(overlap=24)).result))
    assert distance(fired(coat(feather=0.0)).result, fired(coat()).result) > 0


def test_a_coat_that_is_off_is_passed_over(fired: Fire) -> None:
    on = Coat(factor=1.5, refine=quick(steps=1))
    schedule = Schedule((replace(on, on=False), on))
    assert fired(schedule).result.size == Size(168, 132)
    assert len(fired(schedule).layers) == 1


@pytest.mark.parametrize("mode", MODES)
def test_prediction_counts_join_passes_and_orders_exactly(fired: Fire, mode: Mode) -> None:
    for more in ({"joins": JoinPass(0.3, 32)}, {"order": Order.CHECKERBOARD}, {"guidance": 1.5}):
        schedule = coat(mode=mode, tile=(64, 64), overlap=16, **more)
        (cost,) = predict(schedule, portrait().size, Paces()).coats
        assert fired(schedule).reports[0].tiles == cost.tasks


def test_a_network_that_does_nothing_gives_the_structure_back(
    tmp_path: Path, pool: Executor
) -> None:
    for mode in MODES:
        result = run(Still(), pool, tmp_path / mode, portrait(), quick(mode=mode))
        assert_same_pixels(whole(result), whole(portrait()))


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0),
        ((50, 2.5, 0), (50, 0, -2.5), 4.3065),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
        ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
    ],
)
def test_colour_difference_as_published(one: object, other: object, expected: float) -> None:
    """Pairs from the supplement of Sharma, Wu & Dalal 2005."""
    found = delta_e(np.array(one, float), np.array(other, float))
    assert float(found) == pytest.approx(expected, abs=1e-4)


def test_white_grey_and_red_in_lab() -> None:
    samples = np.array([[65535, 65535, 65535], [0, 0, 0], [65535, 0, 0]], np.uint16)
    white, black, red = lab_of(samples)
    assert white == pytest.approx([100, 0, 0], abs=0.01)
    assert black == pytest.approx([0, 0, 0], abs=0.01)
    assert red == pytest.approx([53.24, 80.09, 67.20], abs=0.02)
