"""`enamel batch`: a folder through one treatment, going on where it was stopped."""

import csv
import json
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from enamel.cli import main
from enamel.core.finishing.recipe import Finish, Grain
from tests.cli.test_cli import COAT, pixels, schedule
from tests.pictures import STATIONMASTER

QUICK = {"factor": 2, "refine": COAT["refine"] | {"steps": 1}}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Three small parts of the stationmaster, and what is no picture."""
    made = tmp_path / "in"
    made.mkdir()
    with PIL.Image.open(STATIONMASTER) as image:
        for number, left in enumerate((220, 300, 380)):
            image.crop((left, 260, left + 96, 340)).save(made / f"part-{number}.png")
    (made / "notes.txt").write_text("for the posters")
    return made


def table(out: Path) -> list[dict[str, str]]:
    with (out / "pictures.csv").open() as file:
        return list(csv.DictReader(file))


def test_each_picture_is_what_firing_it_alone_gives(folder: Path, tmp_path: Path) -> None:
    plan, out = schedule(tmp_path, QUICK), tmp_path / "out"
    assert main(["batch", str(folder), str(out), "--schedule", str(plan), "--quiet"]) == 0
    rows = table(out)
    assert [row["source"] for row in rows] == [f"part-{n}.png" for n in range(3)]
    assert {(row["state"], row["width"], row["height"]) for row in rows} == {("done", "192", "160")}
    alone = tmp_path / "alone.png"
    main(["fire", str(folder / "part-1.png"), str(alone), "--schedule", str(plan), "--quiet"])
    assert (pixels(out / "part-1.png") == pixels(alone)).all()
    assert not list((out / ".enamel").glob("*/")), "working files are gone"


def test_a_second_run_makes_only_what_is_new_or_was_asked_for_otherwise(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    plan, out = schedule(tmp_path, QUICK), tmp_path / "out"
    command = ["batch", str(folder), str(out), "--schedule", str(plan)]
    main(command)
    assert "3 of 3" in capsys.readouterr().err
    before = {path.name: path.stat().st_mtime_ns for path in out.glob("*.png")}
    (out / "part-2.png").unlink()
    PIL.Image.open(folder / "part-0.png").transpose(PIL.Image.Transpose.ROTATE_180).save(
        folder / "part-0.png"
    )
    main([*command, "--quiet"])
    after = {path.name: path.stat().st_mtime_ns for path in out.glob("*.png")}
    assert {name for name in after if after[name] != before[name]} == {"part-0.png", "part-2.png"}
    main([*command, "--quiet", "--bits", "16"])
    assert all(after[path.name] != path.stat().st_mtime_ns for path in out.glob("*.png"))


def test_one_that_fails_is_reported_and_stops_only_itself(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (folder / "part-1.png").write_bytes(b"no picture at all")
    plan, out = schedule(tmp_path, QUICK), tmp_path / "out"
    assert main(["batch", str(folder), str(out), "--schedule", str(plan), "--quiet"]) == 2
    assert "1 of 3 pictures failed" in capsys.readouterr().err
    assert [row["state"] for row in table(out)] == ["done", "failed", "done"]
    assert table(out)[1]["reason"]
    assert not (out / "part-1.png").exists()


def test_killed_in_the_middle_it_resumes_to_the_same_pixels(folder: Path, tmp_path: Path) -> None:
    slow = {"factor": 2, "refine": COAT["refine"] | {"steps": 6}}
    plan, out = schedule(tmp_path, slow), tmp_path / "out"
    command = ["batch", str(folder), str(out), "--schedule", str(plan)]
    running = subprocess.Popen(
        [sys.executable, "-m", "enamel.cli", *command], stderr=subprocess.DEVNULL
    )
    while not (out / "pictures.csv").exists() and running.poll() is None:
        time.sleep(0.02)
    time.sleep(0.2)
    running.send_signal(signal.SIGKILL)
    running.wait()
    first = (out / "part-0.png").stat().st_mtime_ns
    assert main([*command, "--quiet"]) == 0
    assert (out / "part-0.png").stat().st_mtime_ns == first, "what was done is not made again"
    undisturbed = tmp_path / "undisturbed"
    main(["batch", str(folder), str(undisturbed), "--schedule", str(plan), "--quiet"])
    for name in ("part-0.png", "part-1.png", "part-2.png"):
        assert (out / name).read_bytes() == (undisturbed / name).read_bytes()


def test_kinds_have_their_own_coats_and_a_finish_comes_last(folder: Path, tmp_path: Path) -> None:
    flat = np.full((80, 96, 3), 250, np.uint8)
    flat[20:60, 20:70] = (20, 54, 111)
    PIL.Image.fromarray(flat).save(folder / "sign.png")
    plain = tmp_path / "plain.json"
    plain.write_text(json.dumps({"coats": [{"factor": 3, "upscaler": "lanczos"}]}))
    finish = tmp_path / "finish.json"
    finish.write_text(json.dumps(Finish(grain=Grain(on=True)).to_json()))
    out = tmp_path / "out"
    asked = ["--schedule", str(schedule(tmp_path, {"factor": 2, "upscaler": "lanczos"}))]
    asked += ["--kind", f"drawing={plain}", "--finish", str(finish), "--quiet"]
    assert main(["batch", str(folder), str(out), *asked]) == 0
    sizes = {row["source"]: (row["width"], row["height"]) for row in table(out)}
    assert sizes["sign.png"] == ("288", "240")
    assert sizes["part-0.png"] == ("192", "160")
    assert pixels(out / "sign.png")[:12, :12].std() > 0.3, "the grain"


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        (["--kind", "cartoon=x.json"], "one of photo, painted"),
        (["--faces", "3"], "strength"),
    ],
)
def test_what_can_not_be_done_is_reported_before_anything_is(
    folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], asked: list[str], words: str
) -> None:
    plan, out = schedule(tmp_path, QUICK), tmp_path / "out"
    assert main(["batch", str(folder), str(out), "--schedule", str(plan), *asked]) == 2
    assert words in capsys.readouterr().err
    assert not out.exists()
    assert main(["batch", str(tmp_path / "none"), str(out), "--schedule", str(plan)]) == 2
