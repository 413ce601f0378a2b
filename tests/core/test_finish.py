"""The finish: windows have the whole's pixels, and each step does what it says on real pictures."""

import dataclasses
import io
import json
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import cv2
import jsonschema
import numpy as np
import PIL.Image
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.cli import main
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.finishing.automatic import automatic
from enamel.core.finishing.facts import Measurements, measured
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.kernels import difference, lightness
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.planes import boxes_of, planes_of, smoothed
from enamel.core.finishing.recipe import (
    CleanUp,
    Colour,
    Deblur,
    Finish,
    Fringes,
    Grain,
    LocalContrast,
    Match,
    Noise,
    Sharpen,
    Step,
    Tone,
    finish_schema,
)
from enamel.core.finishing.repair import BANDS, GAINS, LEAST_SMOOTH
from enamel.core.finishing.tone import curved
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, Pixels, SampleArray
from enamel.core.pipeline.firing import materialise
from tests.pictures import STATIONMASTER, STATIONMASTER_TRUTH, assert_same_pixels, part, whole

PUBLISHED = Path(__file__).parents[2] / "docs" / "reference" / "finish.schema.json"
FACE = Box(700, 700, 320, 288)
"""Of the stationmaster's original: an eye, brow, cheek and cap."""
ALL = Finish(
    CleanUp(on=True, block=13.5),
    Noise(on=True),
    Fringes(on=True),
    Deblur(on=True),
    Tone(on=True, black=0.03, middle=1.2, grey="#8a8478",
         curve=((0.0, 0.0), (0.3, 0.25), (0.7, 0.8), (1.0, 1.0))),
    Match(on=True, local=0.5, radius=48),
    Colour(on=True, saturation=0.2, warmth=0.1),
    LocalContrast(on=True, radius=40),
    Sharpen(on=True),
    Grain(on=True, colour=0.4),
)  # fmt: skip


def truth() -> Pixels:
    return part(STATIONMASTER_TRUTH, FACE)


def finished(layer: Pixels, step: Step, reference: Pixels | None = None) -> SampleArray:
    """A layer after one step."""
    name = next(
        spec.name
        for spec in dataclasses.fields(Finish)
        if isinstance(getattr(ALL, spec.name), type(step))
    )
    recipe = Finish().with_step(name, dataclasses.replace(step, on=True))
    return whole(made(layer, recipe, reference))


def made(layer: Pixels, recipe: Finish, reference: Pixels | None = None) -> Finished:
    return Finished(layer, recipe, Overview.of(layer), reference and Overview.of(reference))


def changed(layer: Pixels, change: Callable[[np.ndarray], np.ndarray]) -> Pixels:
    """A picture with its values, 0 to 255, changed."""
    values = change(whole(layer)[..., :3].astype(np.float32) / 257)
    return Pixels(np.clip(np.rint(values * 257), 0, WHITE).astype(np.uint16))


def off(one: SampleArray, other: SampleArray) -> float:
    """Root mean square difference in levels."""
    return float(np.sqrt(((one.astype(float) - other) ** 2).mean())) / 257


def light(samples: SampleArray) -> np.ndarray:
    return lightness(planes_of(samples)).astype(np.float64) / 257


@lru_cache
def worked_whole(recipe: Finish) -> tuple[Finished, SampleArray]:
    darker = changed(truth(), lambda values: values * 0.8)
    one = made(darker, recipe, truth())
    return one, whole(one)


RECIPES = [
    ALL,
    *(dataclasses.replace(Finish(), **{name: step}) for name, step in ALL.steps.items()),
]  # type: ignore[arg-type]


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda recipe: recipe.words[:20])
@settings(max_examples=12, deadline=None)
@given(data=st.data())
def test_what_is_previewed_is_what_is_written(recipe: Finish, data: st.DataObject) -> None:
    one, result = worked_whole(recipe)
    width, height = one.size
    x, y = data.draw(st.integers(0, width - 1)), data.draw(st.integers(0, height - 1))
    box = Box(x, y, data.draw(st.integers(1, width - x)), data.draw(st.integers(1, height - y)))
    assert_same_pixels(one.read(box), result[box.slices])


@pytest.mark.parametrize("name", Finish.NAMES)
def test_a_finish_begun_and_continued_is_the_whole_finish(name: str) -> None:
    darker = changed(truth(), lambda values: values * 0.8)
    before, after = ALL.parted(name)
    assert [*before.steps, *after.steps] == list(ALL.steps)
    first = made(darker, before, truth())
    onward = Finished(Pixels(whole(first)), after, first.seen, Overview.of(truth()))
    assert_same_pixels(whole(onward), worked_whole(ALL)[1])


def test_a_file_has_the_pixels_that_were_shown(tmp_path: Path) -> None:
    one, result = worked_whole(ALL)
    with materialise(one, one.whole, tmp_path / "finished.npy") as canvas:
        assert_same_pixels(canvas.read(Box.whole(one.size)), result)


def test_nothing_is_done_by_steps_that_are_off_and_transparency_stays() -> None:
    samples = whole(truth())
    assert_same_pixels(whole(made(truth(), Finish())), samples)
    alpha = np.random.default_rng(1).integers(0, WHITE, (*samples.shape[:2], 1), dtype=np.uint16)
    layer = Pixels(np.concatenate([samples, alpha], axis=2))
    result = whole(made(layer, ALL, truth()))
    assert_same_pixels(result[..., 3:], alpha)
    assert_same_pixels(result[..., :3], whole(made(truth(), ALL, truth())))


def test_every_step_alone_can_be_undone() -> None:
    for name in ALL.steps:
        assert name not in ALL.without(name).steps
        assert len(ALL.without(name).steps) == len(ALL.steps) - 1
    assert ALL.words.startswith("Compression clean-up, noise reduction, ")
    assert Finish().words == "Nothing"


# what each step does --------------------------------------------------------------------------


def test_clean_up_takes_blocks_away_and_brings_a_compressed_picture_nearer_to_its_original() -> (
    None
):
    original = part(STATIONMASTER, Box(64, 64, 256, 256))
    file = io.BytesIO()
    PIL.Image.fromarray((whole(original) // 257).astype(np.uint8)).save(file, "JPEG", quality=18)
    spoiled = Pixels(np.asarray(PIL.Image.open(file)).astype(np.uint16) * 257)
    result = finished(spoiled, CleanUp(blocks=1.0, threshold=12))
    facts = [measured(one, Overview.of(one)) for one in (spoiled, Pixels(result))]
    assert facts[0].blocks > 1.5
    assert facts[1].blocks < 0.75 * facts[0].blocks
    assert off(result, whole(original)) < off(whole(spoiled), whole(original))


@pytest.mark.parametrize("grain", [1, 2])
def test_noise_goes_and_edges_stay(grain: int) -> None:
    rng = np.random.default_rng(3)
    height, width = whole(truth()).shape[:2]
    small = rng.normal(0, 6, (height // grain, width // grain, 3)).astype(np.float32)
    noise = cv2.resize(small, (width, height), interpolation=cv2.INTER_NEAREST)
    noisy = changed(truth(), lambda values: values + noise)
    result = finished(noisy, Noise(lightness=4, colour=8, coarseness=grain))
    assert off(result, whole(truth())) < 0.7 * off(whole(noisy), whole(truth()))
    # a step of 100 levels keeps nine tenths of its steepness
    edge = np.full((64, 64, 3), 60.0, np.float32)
    edge[:, 32:] = 160
    sharp = changed(Pixels(np.zeros((64, 64, 3), np.uint16)), lambda values: edge)
    after = light(finished(sharp, Noise(lightness=4, colour=8, coarseness=grain)))
    assert np.diff(after, axis=1).max() > 90


def test_narrow_colours_beside_edges_go_and_wide_ones_stay() -> None:
    bars = np.full((96, 96, 3), 40.0, np.float32)
    bars[:, 48:] = 215
    bars[70:, 10:40] = (150, 40, 40)  # a red field is the picture's own
    fringed = bars.copy()
    fringed[:60, 46:50, 2] = 215  # blue runs out by two px, on both sides
    fringed[:60, 48:50, 0] = 120
    layer = changed(Pixels(np.zeros((96, 96, 3), np.uint16)), lambda values: fringed)
    result = finished(layer, Fringes(amount=1.0, reach=3)).astype(float) / 257
    spread = np.ptp(result[20:50, 44:52], axis=2).max()
    assert spread < 0.35 * np.ptp(fringed[20:50, 44:52], axis=2).max()
    assert np.abs(result[75:90, 16:34] - bars[75:90, 16:34]).max() < 1


def test_a_known_blur_is_removed_without_halos_beyond_what_is_allowed() -> None:
    soft = changed(truth(), lambda values: cv2.GaussianBlur(values, (0, 0), 1.2))
    step = Deblur(blur=1.2, rounds=4, halo=0.2)
    sharp = finished(soft, step)
    assert off(sharp, whole(truth())) < 0.85 * off(whole(soft), whole(truth()))
    lights = light(whole(soft))
    square = np.ones((7, 7), np.uint8)
    strict = light(finished(soft, dataclasses.replace(step, halo=0.0)))
    assert (strict <= cv2.dilate(lights, square) + 0.02).all()
    assert (strict >= cv2.erode(lights, square) - 0.02).all()


def test_tone_moves_black_white_and_grey_where_they_are_wanted() -> None:
    ramp = np.repeat(np.linspace(0, 255, 256, dtype=np.float32)[None, :, None], 3, 2).repeat(8, 0)
    layer = changed(Pixels(np.zeros((8, 256, 3), np.uint16)), lambda values: ramp)
    result = finished(layer, Tone(black=0.1, white=0.9)) / 257
    assert result[0, :26].max() == 0
    assert result[0, 230:].min() == pytest.approx(255)
    assert (np.diff(result[0, :, 0]) >= 0).all()
    brown = changed(layer, lambda values: np.full_like(values, (150, 132, 104)))
    neutral = finished(brown, Tone(grey="#968468"))[0, 0] / 257
    assert np.ptp(neutral) < 0.6
    assert neutral.mean() == pytest.approx(133, abs=3)
    assert light(finished(layer, Tone(middle=1.5)))[0, 128] > 150


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40)), min_size=2, max_size=9,
                unique_by=lambda point: point[0]))  # fmt: skip
def test_a_curve_passes_its_points_and_never_overshoots(points: list[tuple[int, int]]) -> None:
    given_points = sorted((x / 40, y / 40) for x, y in points)
    x, y = np.array(given_points).T
    np.testing.assert_allclose(curved(x, given_points), y, atol=1e-12)
    for left, right, one, other in zip(x, x[1:], y, y[1:], strict=False):
        between = curved(np.linspace(left, right, 30), given_points)
        assert between.min() >= min(one, other) - 1e-9
        assert between.max() <= max(one, other) + 1e-9


def test_matching_brings_tone_and_colour_of_the_whole_and_of_places() -> None:
    def duller(values: np.ndarray) -> np.ndarray:
        return 30 + 0.6 * values * np.array([1.1, 1.0, 0.8], np.float32)

    dull = changed(truth(), duller)
    back = finished(dull, Match(), truth())
    assert off(back, whole(truth())) < 0.25 * off(whole(dull), whole(truth()))
    shade = np.linspace(0.5, 1, whole(truth()).shape[1], dtype=np.float32)[None, :, None]
    shaded = changed(truth(), lambda values: values * shade)
    evened = finished(shaded, Match(whole=0.0, local=1.0, radius=40), truth())
    low = [cv2.GaussianBlur(one.astype(np.float32) / 257, (0, 0), 40)
           for one in (whole(shaded), evened, whole(truth()))]  # fmt: skip
    assert np.abs(low[1] - low[2]).mean() < 0.2 * np.abs(low[0] - low[2]).mean()
    with pytest.raises(Refusal, match="choose another layer"):
        finished(dull, Match())


def test_a_smaller_reference_matches_as_well_as_one_of_the_same_size() -> None:
    layer = changed(truth(), lambda values: values * 0.7)
    values = whole(truth())
    small = Pixels(cv2.resize(values, (160, 144), interpolation=cv2.INTER_AREA))
    for step in (Match(), Match(whole=0.0, local=1.0, radius=48)):
        one, other = (finished(layer, step, it) for it in (truth(), small))
        assert off(one, other) < 1


def test_colour_changes_saturation_and_warmth_and_never_lightness() -> None:
    grey = finished(truth(), Colour(saturation=-1.0))
    assert np.ptp(grey.astype(int), axis=2).max() <= 257
    for step in (Colour(saturation=0.3), Colour(warmth=0.5)):
        inside = light(whole(truth())).clip(30, 225) == light(whole(truth()))
        moved = light(finished(truth(), step)) - light(whole(truth()))
        assert np.abs(moved[inside]).mean() < 0.3
    warm = finished(truth(), Colour(warmth=0.5)).astype(float).mean((0, 1))
    before = whole(truth()).astype(float).mean((0, 1))
    assert warm[0] > before[0]
    assert warm[2] < before[2]


def test_local_contrast_sets_shapes_off_and_leaves_flats() -> None:
    more = light(finished(truth(), LocalContrast(amount=0.6, radius=32)))
    less = light(finished(truth(), LocalContrast(amount=-0.6, radius=32)))
    assert less.std() < light(whole(truth())).std() < more.std()
    flat = changed(truth(), lambda values: np.full_like(values, 120))
    assert off(finished(flat, LocalContrast(amount=1.0)), whole(flat)) < 0.01


def test_sharpening_steepens_edges_and_spares_what_is_below_its_threshold() -> None:
    steep = [np.abs(np.diff(light(one), axis=1)).max()
             for one in (whole(truth()), finished(truth(), Sharpen(amount=1.5, halo=1.0)))]  # fmt: skip
    assert steep[1] > 1.2 * steep[0]
    noise = np.random.default_rng(2).normal(0, 1, (64, 64, 1)).astype(np.float32)
    calm = changed(Pixels(np.zeros((64, 64, 3), np.uint16)), lambda values: 128 + noise + values)
    assert off(finished(calm, Sharpen(amount=3, threshold=6)), whole(calm)) < 0.02
    assert off(finished(calm, Sharpen(amount=3, threshold=0, edges=0, halo=1)), whole(calm)) > 1


@pytest.mark.parametrize("colour", [0.0, 0.6])
@pytest.mark.parametrize("size", [0.8, 2.0])
def test_grain_has_the_deviation_that_was_asked_for_and_moves_no_tone(
    size: float, colour: float
) -> None:
    flat = changed(Pixels(np.zeros((256, 256, 3), np.uint16)), lambda values: values + 127.5)
    grained = finished(flat, Grain(amount=5, size=size, colour=colour)) / 257
    assert grained.std((0, 1)) == pytest.approx(5, rel=0.08)
    assert grained.mean() == pytest.approx(127.5, abs=0.4)
    assert (np.ptp(grained, axis=2).mean() > 0.5) == bool(colour)
    other = finished(flat, Grain(amount=5, size=size, colour=colour, seed=1)) / 257
    assert abs(np.corrcoef(grained[..., 0].ravel(), other[..., 0].ravel())[0, 1]) < 0.05
    black = changed(flat, lambda values: values * 0 + 2)
    assert finished(black, Grain(amount=5, shadows=0.0)).std() / 257 < 0.3


# what the arithmetic rests on -----------------------------------------------------------------


def test_the_gains_of_the_noise_bands_are_those_of_white_noise() -> None:
    plane = np.rint(np.random.default_rng(1).normal(32768, 1000, (512, 512))).astype(np.uint16)
    finer = plane
    for sigma, gain in zip(BANDS, GAINS, strict=True):
        coarser = smoothed(plane, max(LEAST_SMOOTH, sigma))
        assert difference(finer, coarser).std() / 1000 == pytest.approx(gain, rel=0.03)
        finer = coarser


@given(st.floats(0.9, 20))
def test_three_boxes_have_nearly_the_variance_of_the_gaussian(sigma: float) -> None:
    widths = boxes_of(sigma)
    assert all(width % 2 for width in widths)
    variance = sum((width * width - 1) / 12 for width in widths)
    assert variance**0.5 == pytest.approx(sigma, abs=0.25)


def test_an_overview_holds_the_means_of_cells_also_at_a_ragged_edge() -> None:
    samples = np.tile(whole(truth()), (2, 4, 1))[:500, :1030]
    overview = Overview.of(Pixels(samples))
    assert overview.cell == 4
    assert overview.cells.shape == (125, 258, 3)
    for row, column in ((0, 0), (124, 257), (1, 2)):
        cell = samples[4 * row : 4 * (row + 1), 4 * column : 4 * (column + 1)]
        np.testing.assert_allclose(overview.cells[row, column], cell.mean((0, 1)), atol=0.51)


# measuring and deciding -----------------------------------------------------------------------


@pytest.mark.parametrize("level", [2.0, 6.0])
def test_noise_that_was_added_is_measured(level: float) -> None:
    noise = np.random.default_rng(4).normal(0, level, (480, 480, 1)).astype(np.float32)
    calm = part(STATIONMASTER, Box(100, 100, 480, 480))
    noisy = changed(calm, lambda values: values + noise)
    before, after = (measured(one, Overview.of(one)) for one in (calm, noisy))
    assert before.noise < 0.8
    assert after.noise == pytest.approx(level, rel=0.25)


@pytest.mark.parametrize("sigma", [1.0, 2.0])
def test_blur_is_measured_at_edges(sigma: float) -> None:
    sharp = part(STATIONMASTER_TRUTH, Box(300, 300, 800, 800))
    blurred = changed(sharp, lambda values: cv2.GaussianBlur(values, (0, 0), sigma))
    before, after = (measured(one, Overview.of(one)).blur for one in (sharp, blurred))
    assert before < 0.8
    assert after == pytest.approx(np.hypot(sigma, before), rel=0.3)


def test_each_step_says_in_figures_what_it_decided() -> None:
    layer = part(STATIONMASTER, Box(0, 0, 640, 640))
    overview = Overview.of(layer)
    facts = measured(layer, overview)
    recipe, reasons = automatic(Finish(), facts, overview, overview)
    assert set(reasons) == {spec.name for spec in dataclasses.fields(Finish)}
    assert all(any(sign.isdigit() for sign in reason) for reason in reasons.values())
    assert not recipe.clean_up.on  # a clean picture
    assert not recipe.noise.on
    assert recipe.tone.on
    assert f"{facts.black:.1%}" in reasons["tone"]
    assert Measurements.from_json(json.loads(json.dumps(facts.to_json()))) == facts
    # against itself there is nothing to be matched
    result = whole(made(layer, Finish(match=recipe.match), layer))
    assert off(result, whole(layer)) < 0.1


@pytest.mark.parametrize("scale", [1, 3])
def test_flat_art_keeps_its_own_colours(scale: int) -> None:
    art = part(STATIONMASTER.with_name("emblem.png"), Box(0, 0, 480, 480))
    drawn, painted = (
        Pixels(cv2.resize(whole(one), None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC))
        for one in (art, part(STATIONMASTER, Box(0, 0, 480, 480)))
    )
    on = []
    for picture in (drawn, painted):
        overview = Overview.of(picture)
        recipe, _ = automatic(Finish(), measured(picture, overview, scale), overview)
        on.append(set(recipe.steps) & {"tone", "local_contrast", "grain"})
    assert on[0] == set()
    assert {"tone", "local_contrast"} <= on[1]


@pytest.mark.parametrize("shade", [0, 255])
def test_a_picture_of_one_colour_is_measured_and_finished_like_any(shade: int) -> None:
    plain = Pixels(np.full((40, 300, 3), shade * 257, np.uint16))
    overview = Overview.of(plain)
    recipe, _ = automatic(Finish(), measured(plain, overview), overview, overview)
    assert off(whole(made(plain, recipe, plain)), whole(plain)) < 60


# recipes as files -----------------------------------------------------------------------------


def test_the_published_schema_is_that_of_the_code_and_fits_what_is_written() -> None:
    assert json.loads(PUBLISHED.read_text()) == finish_schema()
    form = json.loads(json.dumps(ALL.to_json()))
    jsonschema.validate(form, finish_schema())
    assert Finish.from_json(form) == ALL


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"noise": {"lightness": 99}}, "noise.lightness: 99"),
        ({"tone": {"grey": "#000000"}}, "tone.grey: '#000000'"),
        ({"tone": {"curve": [[0, 0], [0, 1]]}}, "tone.curve"),
        ({"tone": {"curve": [[0, 0], [1, 2]]}}, "tone.curve"),
        ({"shine": {}}, "shine: is not a setting"),
        ({"grain": {"size": float("nan")}}, "grain.size"),
    ],
)
def test_a_recipe_that_can_not_be_used_says_where(form: object, words: str) -> None:
    with pytest.raises(FieldRefusal, match=words.replace("[", r"\[").replace(".", r"\.")):
        Finish.from_json(form)


def test_the_command_finishes_a_file(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    recipe, out = tmp_path / "recipe.json", tmp_path / "out.png"
    recipe.write_text(json.dumps({"colour": {"on": True, "saturation": -1.0}}))
    picture = str(STATIONMASTER)
    assert main(["finish", picture, str(out), "--recipe", str(recipe)]) == 0
    with PIL.Image.open(out) as image:
        values = np.asarray(image.convert("RGB")).astype(int)
    assert np.ptp(values, axis=2).max() <= 1
    assert main(["finish", picture, str(out), "--automatic", "--base", picture]) == 0
    assert "Tone: " in capsys.readouterr().out
    assert main(["finish", picture, str(out)]) == 2
    assert "--recipe" in capsys.readouterr().err
    assert main(["finish", "--describe"]) == 0
    assert json.loads(capsys.readouterr().out) == finish_schema()
