"""Checks: what is planted is found and told in the right words, what is sound is left alone."""

import json
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import PIL.Image
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.cli import main
from enamel.core.checks import Kind, Report, Severity, Tiled, check
from enamel.core.checks import faces as faces_check
from enamel.core.checks.findings import MOST_OF_A_KIND, Finding, Map, regions, strongest, verdict
from enamel.core.checks.joins import ALARM, alarm_for, check_joins, cures
from enamel.core.checks.measures import MEASURES, best_of
from enamel.core.checks.pairs import Pair, cell_means
from enamel.core.checks.structure import similarity
from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, Pixels
from enamel.core.imaging.colour import delta_e, lab_of
from enamel.core.schedule import Coat, Fit, Mode, Refine
from enamel.core.tiling.grid import Grid
from tests.faces import find_faces_once
from tests.pictures import DEMO, PLATFORM, STATIONMASTER


@pytest.fixture(autouse=True)
def all_faces(monkeypatch: pytest.MonkeyPatch) -> None:
    """Find all faces, as the application does."""
    monkeypatch.setattr(faces_check, "detect_faces", find_faces_once)


NO_FACES: tuple[list[Box], list[Box]] = ([], [])
HEAD = Box(200, 220, 384, 384)


def base_and_truth(name: str, box: Box | None = None) -> tuple[Pixels, np.ndarray]:
    """A demo base, and the picture it was drawn from at twice its size as fractions of white."""
    path = next(DEMO.glob(f"{name}.[pj]*"))
    with PIL.Image.open(path) as image, PIL.Image.open(DEMO / f"{name}.truth.jpg") as truth:
        base = image.convert("RGB")
        size = base.width * 2, base.height * 2
        large = truth.convert("RGB").resize(size, PIL.Image.Resampling.LANCZOS)
    if box:
        base = base.crop((box.x, box.y, box.right, box.bottom))
        large = large.crop((2 * box.x, 2 * box.y, 2 * box.right, 2 * box.bottom))
    small = np.asarray(base).astype(np.uint16) * 257
    return Pixels(small), np.asarray(large).astype(np.float32) / 255


def picture(values: np.ndarray) -> Pixels:
    return Pixels(np.rint(np.clip(values, 0, 1) * 65535).astype(np.uint16))


def kinds(report: Report) -> set[Kind]:
    return {finding.kind for finding in report.findings}


def found_at(report: Report, box: Box, *wanted: Kind) -> list[Finding]:
    return [
        finding
        for finding in report.findings
        if finding.kind in wanted and not finding.box.intersection(box).empty
    ]


@pytest.mark.parametrize("name", ["stationmaster", "night-mail", "platform"])
def test_the_true_picture_raises_no_alarm(name: str) -> None:
    base, truth = base_and_truth(name)
    report = check(base, picture(truth), faces=NO_FACES)
    assert report.verdict == "nothing found", report.findings
    assert report.measures["structure"] > 0.99
    assert report.measures["colour"] < 0.3


def test_a_picture_and_itself_differ_in_nothing() -> None:
    base, _ = base_and_truth("stationmaster", HEAD)
    report = check(base, base, faces=NO_FACES)
    assert report.findings == ()
    for name in ("displacement", "colour", "lightness", "lost", "invented", "halos", "clipping"):
        assert report.measures[name] == pytest.approx(0, abs=1e-6), name
    assert report.measures["structure"] == pytest.approx(1)


def test_an_extra_eye_is_found_where_it_is() -> None:
    base, truth = base_and_truth("stationmaster")
    place = Box(300, 1500, 120, 90)
    truth[place.slices] = cv2.resize(truth[636:756, 580:740], place.size)
    report = check(base, picture(truth), faces=NO_FACES)
    (finding, *_) = found_at(report, place, Kind.INVENTED, Kind.STRUCTURE)
    assert place.grown(60).contains(finding.box)
    assert not [one for one in report.findings if one.box.intersection(place.grown(60)).empty]


def test_a_shift_of_all_colours_is_reported_with_its_direction() -> None:
    base, truth = base_and_truth("stationmaster", HEAD)
    warm = truth * np.array([1.03, 1.0, 0.93], np.float32)
    report = check(base, picture(warm), faces=NO_FACES)
    assert report.measures["colour_shifted"]
    assert 1 < report.measures["colour"] < 5
    assert f"colour +{report.measures['colour']:.1f} ΔE warmer" in report.verdict
    pale = truth.mean(axis=2, keepdims=True) * 0.35 + truth * 0.65
    assert "less saturated" in check(base, picture(pale), faces=NO_FACES).verdict
    assert "lighter" in check(base, picture(truth * 0.9 + 0.1), faces=NO_FACES).verdict


def test_a_place_of_another_hue_is_found_by_three_delta_e() -> None:
    base, truth = base_and_truth("stationmaster")
    place = Box(900, 300, 200, 200)
    patch = truth[place.slices]
    tinted = np.clip(patch * np.array([1.18, 1.0, 0.82], np.float32), 0, 1)
    distance = delta_e(lab_of(whole_samples(patch)), lab_of(whole_samples(tinted))).mean()
    assert 2.3 < distance < 3.7
    truth[place.slices] = tinted
    report = check(base, picture(truth), faces=NO_FACES)
    assert kinds(report) == {Kind.COLOUR}
    assert place.grown(32).contains(report.findings[0].box)
    assert not report.measures["colour_shifted"], "one place is no shift of all"
    assert "colour changed in 1 place" in report.verdict


def whole_samples(values: np.ndarray) -> np.ndarray:
    return np.rint(values * 65535).astype(np.uint16)


def test_a_blurred_patch_is_lost_detail() -> None:
    base, truth = base_and_truth("platform")
    place = Box(700, 900, 160, 160)
    truth[place.slices] = cv2.GaussianBlur(truth[place.slices], (0, 0), 3)
    report = check(base, picture(truth), faces=NO_FACES)
    assert found_at(report, place, Kind.LOST), report.findings
    assert report.measures["lost"] > 0


def test_overshoot_at_edges_is_a_halo() -> None:
    base, truth = base_and_truth("stationmaster")
    sharpened = truth + 1.8 * (truth - cv2.GaussianBlur(truth, (0, 0), 3))
    report = check(base, picture(sharpened), faces=NO_FACES)
    assert Kind.HALO in kinds(report)
    assert (
        report.measures["halos"] > 5 * check(base, picture(truth), faces=NO_FACES).measures["halos"]
    )


def test_bands_in_a_smooth_tone_and_clipped_tones_are_found() -> None:
    ramp = np.linspace(0.2, 0.75, 256, dtype=np.float32)
    sky = np.repeat(np.repeat(ramp[:, None], 256, axis=1)[..., None], 3, axis=2)
    base = picture(sky)
    smooth = cv2.resize(sky, (512, 512), interpolation=cv2.INTER_CUBIC)
    assert check(base, picture(smooth), faces=NO_FACES).findings == ()
    assert kinds(check(base, picture(np.rint(smooth * 40) / 40), faces=NO_FACES)) >= {Kind.BANDING}
    clipped = check(base, picture(smooth * 1.6), faces=NO_FACES)
    assert Kind.CLIPPING in kinds(clipped)
    assert clipped.measures["clipping"] == pytest.approx(100 * (0.75 - 1 / 1.6) / 0.55, abs=2)


def test_faces_are_matched_and_new_or_missing_ones_reported() -> None:
    base, truth = base_and_truth("stationmaster")
    face = Box(240, 250, 300, 300)
    twice = Box(480, 500, 600, 600)
    same = check(base, picture(truth), faces=([face], [twice]))
    assert same.measures["faces"] == 1
    assert Kind.FACE not in kinds(same), "a face that is the same is no finding"

    pale = truth.copy()
    pale[twice.slices] = cv2.GaussianBlur(pale[twice.slices], (0, 0), 30)
    gone = check(base, picture(pale), faces=([face], []))
    assert gone.measures["faces_missing"] == 1
    assert "1 lost face" in gone.verdict

    small = cv2.resize(truth[twice.slices], (200, 200), interpolation=cv2.INTER_AREA)
    doubled = truth.copy()
    doubled[1750:1950, 1200:1400] = small
    more = check(base, picture(doubled), faces=([face], [twice, Box(1200, 1750, 200, 200)]))
    assert more.measures["faces_new"] == 1
    assert "1 new face" in more.verdict

    unseen = check(base, picture(truth), faces=([], [twice]))
    assert unseen.measures["faces_new"] == 0, "it was in the base, only not found there"


def test_a_face_whose_parts_moved_has_changed() -> None:
    base, truth = base_and_truth("stationmaster")
    box, twice = Box(240, 250, 300, 300), Box(480, 500, 600, 600)
    patch = truth[twice.slices]
    y, x = np.mgrid[0:600, 0:600].astype(np.float32)
    # the lower half pulled down, as a mouth that opens
    bend = (
        28
        * np.exp(-(((x - 300) / 130) ** 2))
        * np.clip((y - 330) / 60, 0, 1)
        * np.clip((590 - y) / 60, 0, 1)
    )
    truth[twice.slices] = cv2.remap(patch, x, y - bend.astype(np.float32), cv2.INTER_LINEAR)
    report = check(base, picture(truth), faces=([box], [twice]))
    assert report.measures["faces_changed"] == 1
    assert "1 changed face" in report.verdict


def test_faces_are_looked_for_when_they_are_not_known() -> None:
    with PIL.Image.open(STATIONMASTER) as image:
        whole = Pixels(np.asarray(image.convert("RGB")).astype(np.uint16) * 257)
    assert check(whole, whole).measures["faces"] == 1


def test_pictures_of_other_shapes_are_refused() -> None:
    base, truth = base_and_truth("stationmaster", HEAD)
    with pytest.raises(Refusal, match="another shape"):
        check(base, picture(truth[:, :600]))
    with pytest.raises(Refusal, match="uncropped"):
        Pair(base, picture(truth[:500]))


def test_memory_is_bounded_by_reading_in_strips() -> None:
    base, truth = base_and_truth("platform")

    class Watched:
        """A picture that notes the largest part that was read of it at once."""

        channels = 3

        def __init__(self, whole: Pixels) -> None:
            self.whole, self.size, self.most = whole, whole.size, 0

        def read(self, box: Box) -> np.ndarray:
            self.most = max(self.most, box.area)
            return self.whole.read(box)

    large = cv2.resize(truth, (3072, 2304), interpolation=cv2.INTER_LINEAR)
    watched = Watched(picture(large))
    seen: Picture = watched
    tiled = Tiled(Coat(factor=3.0, refine=Refine()), base.size, seen)
    check(base, seen, tiled, faces=NO_FACES)
    assert watched.most < 0.2 * watched.size.width * watched.size.height


def test_similarity_is_one_for_equals_and_falls_with_noise() -> None:
    rng = np.random.default_rng(2)
    field = rng.random((64, 64), np.float32)
    assert similarity(field, field) == pytest.approx(1, abs=1e-4)
    near = similarity(field, field + rng.normal(0, 0.05, field.shape).astype(np.float32)).mean()
    far = similarity(field, field + rng.normal(0, 0.3, field.shape).astype(np.float32)).mean()
    assert far < near < 1


def test_cells_are_means_and_regions_lie_where_their_cells_are() -> None:
    field = np.zeros((40, 64), np.float32)
    field[8:24, 16:32] = 1
    cells = cell_means(field)
    assert cells.shape == (5, 8)
    assert cells[1:3, 2:4].min() == 1
    assert cells.sum() == 4
    ((box, value, inside),) = regions(cells, 0.5, 2, (16.0, 16.0))
    assert box == Box(32, 16, 32, 32)
    assert value == 1
    assert inside.sum() == 4
    assert regions(cells, 0.5, 5, (16.0, 16.0)) == []


def test_a_report_can_be_kept_and_its_findings_read_again() -> None:
    base, truth = base_and_truth("stationmaster", HEAD)
    report = check(base, picture(truth * 0.85), faces=NO_FACES)
    kept = json.loads(json.dumps(report.to_json()))
    again = [Finding.from_json(finding) for finding in kept["findings"]]
    assert [finding.box for finding in again] == [finding.box for finding in report.findings]
    assert kept["verdict"] == report.verdict == verdict(again, kept["measures"])
    chart = kept["maps"]["colour"]
    assert chart["columns"] * chart["rows"] == len(np.frombuffer(_bytes(chart["levels"]), np.uint8))
    assert {measure.name for measure in MEASURES} <= set(kept["measures"])


def _bytes(text: str) -> bytes:
    import base64

    return base64.b64decode(text)


def test_a_map_keeps_its_alarm_in_the_middle_of_its_levels() -> None:
    values = np.full((400, 200), 2.0, np.float32)
    kept = Map(values, "ΔE00", 2.0).to_json()
    assert max(kept["columns"], kept["rows"]) == Map.LONGEST
    assert set(_bytes(kept["levels"])) == {128}


def test_severity_and_the_strongest_of_many() -> None:
    assert [Severity.of(times) for times in (1.1, 2.0, 9.0)] == list(Severity)
    many = [
        Finding(Kind.LOST, Severity.of(value), Box(0, 0, 1, 1), value, "", "")
        for value in np.linspace(1, 4, 30)
    ]
    kept = strongest(many)
    assert len(kept) == MOST_OF_A_KIND
    assert min(one.value for one in kept) >= sorted(one.value for one in many)[-MOST_OF_A_KIND]


def test_cures_cost_work_and_joint_mode_needs_none() -> None:
    coat = Coat(factor=2.0, refine=Refine(tile=(256, 256), fit=Fit.EXACT, overlap=32))
    found = {cure.setting: cure.work for cure in cures(coat, Size(400, 300))}
    assert set(found) == {"overlap", "joins", "mode"}
    assert all(work >= 1 for work in found.values())
    assert found["joins"] > 1 < found["mode"]
    assert coat.refine is not None
    joint = replace(coat, refine=replace(coat.refine, mode=Mode.JOINT))
    assert cures(joint, Size(400, 300)) == ()


def test_in_joint_mode_there_are_no_joins_to_be_found() -> None:
    """Edges of the picture itself lie on the grid; only tiles that were joined can have left them."""
    base = Pixels(np.full((128, 128, 3), 20000, np.uint16))
    edged = np.full((256, 256, 3), 20000, np.uint16)
    edged[:, 128:] += 3000
    edged[128:] += 1500
    plain = Pixels(np.full((256, 256, 3), 20000, np.uint16))
    coat = Coat(factor=2.0, refine=Refine(tile=(128, 128), overlap=0))
    assert coat.refine is not None
    joint = replace(coat, refine=replace(coat.refine, mode=Mode.JOINT))
    reports = [
        check(base, Pixels(edged), Tiled(one, base.size, plain), faces=([], []))
        for one in (coat, joint)
    ]
    assert reports[0].measures["joins"] > 0
    assert reports[1].measures["joins"] == 0


def test_the_best_of_a_column_depends_on_its_measure() -> None:
    by_name = {measure.name: measure for measure in MEASURES}
    assert best_of(by_name["lost"], [3.0, None, 1.0]) == 1.0
    assert best_of(by_name["structure"], [0.9, 0.99]) == 0.99
    assert best_of(by_name["sharpness"], [3.0, 1.0]) is None
    assert best_of(by_name["lost"], [2.0, 2.0]) is None
    assert by_name["lost"].written(None) == "–"
    assert by_name["lost"].rounded(1.2345) == 1.2


def test_the_command_prints_measures_and_findings(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    with PIL.Image.open(PLATFORM) as image:
        base = image.convert("RGB").crop((0, 0, 320, 240))
    base.save(tmp_path / "base.png")
    large = base.resize((640, 480), PIL.Image.Resampling.LANCZOS)
    warm = PIL.Image.merge("RGB", [band.point(lambda value, n=n: min(255, int(value * (1.1, 1, 0.85)[n])))
                                   for n, band in enumerate(large.split())])  # fmt: skip
    warm.save(tmp_path / "result.png")
    (tmp_path / "schedule.json").write_text(
        json.dumps({"coats": [{"factor": 2.0, "refine": {"tile": [256, 256]}}]})
    )
    words = ["check", str(tmp_path / "base.png"), str(tmp_path / "result.png")]
    assert main([*words, "--schedule", str(tmp_path / "schedule.json"), "--json"]) == 0
    report = json.loads(capsys.readouterr().out)
    assert report["measures"]["colour"] > 1
    assert {finding["kind"] for finding in report["findings"]} >= {"colour"}
    assert "joins" in report["measures"]
    assert main(words) == 0
    out = capsys.readouterr().out
    assert out.splitlines()[0] == report["verdict"]
    assert main(["check", str(tmp_path / "none.png"), str(tmp_path / "result.png")]) == 2
    assert "There is no file" in capsys.readouterr().err


GRID = Grid(Size(640, 384), Size(256, 256), 64)


@pytest.mark.parametrize("shift", [0, 3, -5])
def test_an_edge_of_the_picture_that_is_at_a_join_is_not_the_join(shift: int) -> None:
    """A wall against the sky, sharpened by refining, its edge along a join of tiles."""
    across = np.where(np.arange(640) < GRID.joins[0][0] + shift, 0.75, 0.35).astype(np.float32)
    wall = cv2.GaussianBlur(np.tile(across, (384, 1)), (0, 0), 2.0)
    rng = np.random.default_rng(3)
    wall += rng.normal(0, 0.002, wall.shape).astype(np.float32)
    source = np.repeat(wall[..., None], 3, axis=2)
    sharpened = source + 0.8 * (source - cv2.GaussianBlur(source, (0, 0), 1.0))
    assert check_joins(picture(sharpened), picture(source), GRID).visible == []


def test_a_step_in_the_flat_beside_such_an_edge_is_found() -> None:
    rng = np.random.default_rng(4)
    plain = 0.6 + rng.normal(0, 0.002, (384, 640, 1)).astype(np.float32).repeat(3, axis=2)
    plain[:, :60] = 0.2
    stepped = plain.copy()
    stepped[:, round(GRID.joins[0][0]) :] += 2 / 255
    found = check_joins(picture(stepped), picture(plain), GRID).visible
    assert found
    assert all(segment.vertical for segment in found)
    assert all(segment.levels == pytest.approx(2, abs=0.5) for segment in found)


# how often something is alarmed that nobody can see ---------------------------------------------


@given(shape=st.floats(0.0, 0.08), count=st.integers(20, 600), seed=st.integers(0, 2**31))
@settings(max_examples=40, deadline=None)
def test_the_alarm_is_beyond_what_chance_does_to_the_worst_of_all_segments(
    shape: float, count: int, seed: int
) -> None:
    rng = np.random.default_rng(seed)

    def scores(number: int) -> np.ndarray:
        even = rng.random(number) ** 0.8
        return (even**-shape - 1) / shape if shape > 1e-6 else -np.log(even)

    alarm = alarm_for(scores(20 * count), count)
    pictures = scores(count * 200).reshape(200, count).max(axis=1)
    assert (pictures > alarm).mean() < 0.15  # one in a hundred, and what chance does to a tail
    assert alarm >= ALARM
    assert alarm_for(np.empty(0), count) == ALARM


@pytest.mark.parametrize("name", ["stationmaster.png", "tea-car.jpg", "night-mail.png"])
def test_no_join_is_alarmed_where_none_is_and_a_step_of_three_levels_in_a_flat_is(
    name: str,
) -> None:
    """Grain of a refinement on a demo picture at twice its size, without any join."""
    with PIL.Image.open(DEMO / name) as image:
        large = image.convert("RGB").resize(
            (image.width * 2, image.height * 2), PIL.Image.Resampling.LANCZOS
        )
    source = np.asarray(large).astype(np.float32) / 255
    rng = np.random.default_rng(5)
    fine = source - cv2.GaussianBlur(source, (0, 0), 1.5)
    grain = rng.normal(0, 1, (*source.shape[:2], 1)).astype(np.float32)
    result = source + 0.5 * fine * (1 + grain) + grain / 255
    grid = Grid(Size(large.width, large.height), Size(512, 512), 64, 8)
    report = check_joins(picture(result), picture(source), grid)
    assert report.visible == []
    segment = next(one for one in report.segments if one.vertical and one.box.y >= 256)
    flat = segment.box.grown(240).intersection(Box.whole(grid.size))
    source[flat.slices] = source[flat.slices].mean(axis=(0, 1))
    result[flat.slices] = source[flat.slices] + grain[flat.slices] / 255
    assert check_joins(picture(result), picture(source), grid).visible == []
    middle = (segment.box.x + segment.box.right) // 2
    result[segment.box.y : segment.box.bottom, middle : middle + 150] += 3 / 255
    seen = check_joins(picture(result), picture(source), grid).visible
    assert [one.box for one in seen if one.vertical] == [segment.box]
