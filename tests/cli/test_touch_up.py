"""The commands that mend, on files."""

import json
from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from enamel.cli import main
from tests.cli.test_cli import pixels
from tests.pictures import STATIONMASTER, portrait, whole


@pytest.fixture
def base(tmp_path: Path) -> Path:
    path = tmp_path / "base.png"
    PIL.Image.fromarray((whole(portrait()) // 257).astype(np.uint8)).save(path)
    return path


@pytest.fixture
def mask(tmp_path: Path) -> Path:
    """White in the middle, soft at its edge."""
    path = tmp_path / "mask.png"
    covered = np.zeros((portrait().size.height, portrait().size.width), np.uint8)
    covered[24:56, 36:72] = 128
    covered[28:52, 40:68] = 255
    PIL.Image.fromarray(covered).save(path)
    return path


def settings(tmp_path: Path, **given: object) -> str:
    path = tmp_path / "settings.json"
    path.write_text(json.dumps(given))
    return str(path)


def test_touch_up_changes_what_is_white_in_the_mask_and_nothing_else(
    tmp_path: Path, base: Path, mask: Path
) -> None:
    out = tmp_path / "out.png"
    patch = {"working": 128, "strength": 0.6, "seed": 4}
    given = settings(
        tmp_path, patches=[patch], refine={"steps": 3, "tile": [96, 96], "overlap": 24}
    )
    assert (
        main(["touch-up", str(base), str(out), "--mask", str(mask), "--settings", given, "--quiet"])
        == 0
    )
    before, after = pixels(base).astype(int), pixels(out).astype(int)
    covered = pixels(mask)
    assert np.abs(after - before)[covered == 255].max() >= 3
    assert not np.abs(after - before)[covered == 0].any()


def test_inlay_mixes_by_mask_and_opacity(tmp_path: Path, base: Path, mask: Path) -> None:
    over, out = tmp_path / "over.png", tmp_path / "out.png"
    PIL.Image.fromarray(np.full((*pixels(base).shape[:2], 3), 255, np.uint8)).save(over)
    assert (
        main(["inlay", str(base), str(over), str(out), "--mask", str(mask), "--opacity", "0.5"])
        == 0
    )
    before, after, covered = pixels(base).astype(float), pixels(out).astype(float), pixels(mask)
    expected = before + (255 - before) * (covered / 255 * 0.5)[..., None]
    assert np.abs(after - expected).max() <= 1
    assert (after[covered == 0] == before[covered == 0]).all()


def test_faces_are_listed(tmp_path: Path, base: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["faces", str(STATIONMASTER), "--json"]) == 0
    (face,) = json.loads(capsys.readouterr().out)
    x, _, width, height = face["box"]
    assert 150 < x < 300
    assert 250 < width < 400
    assert 300 < height < 500
    assert abs(face["turn"]) < 10
    wall = tmp_path / "wall.png"
    PIL.Image.fromarray(np.full((64, 64, 3), 90, np.uint8)).save(wall)
    assert main(["faces", str(wall)]) == 0
    assert capsys.readouterr().out == "No face was found.\n"


@pytest.mark.parametrize(
    ("command", "says"),
    [
        (["touch-up", "{base}", "{out}", "--mask", "{small}"], "The mask is 20 × 18 px and the picture"),
        (["touch-up", "{base}", "{out}", "--mask", "{black}"], "covers nothing of this picture"),
        (["touch-up", "{base}", "{out}", "--mask", "{mask}", "--settings", "{wrong}"], "strength"),
        (["touch-up", "{base}", "{out}", "--mask", "{mask}", "--base", "{base}"], "Give --base together"),
        (["touch-up", "{base}", "{out}", "--mask", "nowhere.png"], "There is no file nowhere.png"),
        (["inlay", "{base}", "{base}", "{out}", "--mask", "{small}"], "Save the mask at the size"),
        (["inlay", "{base}", "{base}", "{out}", "--opacity", "2"], "opacity"),
        (["faces", "nowhere.png"], "There is no file nowhere.png"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_reported_and_nothing_is_written(
    tmp_path: Path, base: Path, mask: Path, command: list[str], says: str,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    PIL.Image.new("L", (20, 18), 255).save(tmp_path / "small.png")
    PIL.Image.new("L", tuple(portrait().size), 0).save(tmp_path / "black.png")
    places = {
        "base": str(base), "mask": str(mask), "out": str(tmp_path / "out.png"),
        "small": str(tmp_path / "small.png"), "black": str(tmp_path / "black.png"),
        "wrong": settings(tmp_path, patches=[{"strength": 7}]),
    }  # fmt: skip
    assert main([word.format(**places) for word in command]) == 2
    assert says in capsys.readouterr().err
    assert not (tmp_path / "out.png").exists()
