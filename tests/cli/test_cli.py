"""The command, as a person at a terminal meets it."""

import json
import os
import random
import shutil
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image
import pytest

from enamel.cli import main
from enamel.core.networks.intake import add_model
from tests.onnxfiles import refiner_network
from tests.pictures import portrait, whole

COAT: dict[str, Any] = {
    "factor": 2,
    "refine": {
        "strength": 0.5,
        "steps": 2,
        "tile": [96, 96],
        "fit": "exact",
        "overlap": 24,
        "seed": 5,
    },
}


@pytest.fixture
def base(tmp_path: Path) -> Path:
    path = tmp_path / "base.png"
    PIL.Image.fromarray((whole(portrait()) // 257).astype(np.uint8)).save(path)
    return path


def schedule(tmp_path: Path, *coats: dict[str, Any]) -> Path:
    path = tmp_path / "schedule.json"
    path.write_text(json.dumps({"coats": list(coats)}))
    return path


def pixels(path: Path) -> np.ndarray:
    with PIL.Image.open(path) as image:
        return np.asarray(image)


def test_fire_makes_a_print_file_and_a_report(tmp_path: Path, base: Path) -> None:
    out, report = tmp_path / "out.tif", tmp_path / "report.json"
    plan = schedule(tmp_path, COAT)
    assert (
        main(["fire", str(base), str(out), "--schedule", str(plan), "--report", str(report)]) == 0
    )
    with PIL.Image.open(out) as image:
        assert image.size == (224, 176)
        assert image.info["dpi"] == pytest.approx((300, 300), abs=0.1)
        assert image.info["icc_profile"]
    written = json.loads(report.read_text())
    assert written["stages"][0]["tiles"] == 9
    assert written["input_size"] == [112, 88]
    assert written["versions"]["onnxruntime"]
    assert written["model_seconds"] > 0
    assert written["peak_memory_mb"] > 0


def test_a_window_is_that_part_of_the_whole(tmp_path: Path, base: Path) -> None:
    plan = str(schedule(tmp_path, COAT))
    main(["fire", str(base), str(tmp_path / "whole.png"), "--schedule", plan, "--quiet"])
    main(["fire", str(base), str(tmp_path / "part.png"), "--schedule", plan, "--quiet",
          "--window", "100,60,50,40"])  # fmt: skip
    expected = pixels(tmp_path / "whole.png")[60:100, 100:150]
    np.testing.assert_array_equal(pixels(tmp_path / "part.png"), expected)


def test_killed_and_repeated_with_work_it_resumes_to_the_same_pixels(
    tmp_path: Path, base: Path
) -> None:
    plan = schedule(tmp_path, COAT | {"refine": COAT["refine"] | {"steps": 12}})
    command = [sys.executable, "-m", "enamel.cli", "fire", str(base), str(tmp_path / "out.png"),
               "--schedule", str(plan), "--work", str(tmp_path / "work")]  # fmt: skip

    def kept_tiles() -> int:
        return len(list((tmp_path / "work").rglob("tiles/*.npy")))

    with subprocess.Popen([*command, "--quiet"]) as process:
        while kept_tiles() < 2:
            assert process.poll() is None, "it ended before it could be killed"
            time.sleep(0.02)
        process.kill()
    kept = kept_tiles()
    assert 0 < kept < 9
    report = tmp_path / "report.json"
    assert main([*command[3:], "--report", str(report), "--quiet"]) == 0
    assert json.loads(report.read_text())["stages"][0]["tiles"] == 9 - kept
    undisturbed = tmp_path / "undisturbed.png"
    main(["fire", str(base), str(undisturbed), "--schedule", str(plan), "--quiet"])
    np.testing.assert_array_equal(pixels(tmp_path / "out.png"), pixels(undisturbed))


KILLS = 2


def lengths(work: Path) -> list[tuple[str, int]]:
    """The files of finished work with their lengths."""
    found = []
    for path in work.rglob("*"):
        with suppress(FileNotFoundError):  # named anew meanwhile
            found.append((path.name, path.stat().st_size))
    return sorted(found)


@pytest.mark.parametrize("mode", ["separate", "joint"])
def test_killed_at_random_again_and_again_it_ends_with_the_same_bytes(
    tmp_path: Path, base: Path, mode: str
) -> None:
    refine = COAT["refine"] | {"steps": 12, "mode": mode, "sampler": "dpm++2m", "hold": 0.5}
    refine |= {"joins": {"strength": 0.3, "width": 32}} if mode == "separate" else {}
    plan = schedule(tmp_path, {"factor": 2, "refine": refine}, {"factor": 1.2})
    command = [sys.executable, "-m", "enamel.cli", "fire", str(base), str(tmp_path / "out.png"),
               "--schedule", str(plan), "--work", str(tmp_path / "work"), "--quiet"]  # fmt: skip
    chance = random.Random(mode)
    kills = 0
    # killed when something new is there, so that each run gets on however slow the machine is
    while kills < KILLS:
        process = subprocess.Popen(command)
        kept = lengths(tmp_path / "work")
        while process.poll() is None and lengths(tmp_path / "work") == kept:
            time.sleep(0.02)
        time.sleep(chance.uniform(0, 0.3))
        if process.poll() is not None:
            break
        process.kill()
        process.wait()
        kills += 1
    assert kills >= 2, "it was too quick to be killed; give it more steps"
    subprocess.run(command, check=True)
    undisturbed = tmp_path / "undisturbed.png"
    main(["fire", str(base), str(undisturbed), "--schedule", str(plan), "--quiet"])
    assert (tmp_path / "out.png").read_bytes() == undisturbed.read_bytes()


def test_5_peak_memory_does_not_grow_with_the_picture(
    tmp_path: Path, base: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # a network that takes no time: what the engine keeps is what this is about
    monkeypatch.setenv("ENAMEL_MODELS", str(tmp_path / "own"))
    add_model(refiner_network(tmp_path / "glaze.onnx"), "glaze")
    refine = {"model": "glaze", "steps": 1, "tile": [256, 256], "overlap": 32}

    def peak(side: int) -> float:
        plan = schedule(tmp_path, {"size": [side, side], "refine": refine})
        report = tmp_path / "report.json"
        command = [sys.executable, "-m", "enamel.cli", "fire", str(base), str(tmp_path / "o.tif"),
                   "--schedule", str(plan), "--report", str(report), "--quiet"]  # fmt: skip
        subprocess.run(command, check=True)
        held: float = json.loads(report.read_text())["peak_memory_mb"]
        return held

    # from where all blocks that are filled at once have their full size
    peaks = [peak(2100), peak(4200)]
    if (
        peaks[1] >= peaks[0] + 60
    ):  # a busy machine may add something now and then, a leak always does
        peaks[1] = peak(4200)
    assert peaks[1] < peaks[0] + 60, peaks


def test_one_thread_and_two_give_the_same_bytes(tmp_path: Path, base: Path) -> None:
    plan = schedule(tmp_path, COAT, COAT | {"refine": COAT["refine"] | {"mode": "joint"}})
    made = []
    for threads in ("1", "2"):
        out = tmp_path / f"{threads}.png"
        command = [sys.executable, "-m", "enamel.cli", "fire", str(base), str(out),
                   "--schedule", str(plan), "--quiet"]  # fmt: skip
        subprocess.run(command, check=True, env=os.environ | {"ENAMEL_THREADS": threads})
        made.append(out.read_bytes())
    assert made[0] == made[1]


def test_a_plan_is_a_schedule_with_a_sentence_for_each_coat(
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["plan", "768", "1024", "--to", "3600", "4800"]) == 0
    output = capsys.readouterr()
    assert len(json.loads(output.out)["coats"]) == 3
    assert output.err.startswith("1. 2× to 1536 × 2048 px")


def test_the_schema_is_printed(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["schema"]) == 0
    assert json.loads(capsys.readouterr().out)["title"] == "Enamel schedule"


@pytest.mark.parametrize(
    ("options", "size"),
    [
        (["--factor", "2.5"], (280, 220)),
        (["--width", "300"], (300, 236)),
        (["--width", "300", "--height", "100"], (300, 100)),
    ],
)
def test_upscale_to_an_exact_size(
    tmp_path: Path, base: Path, options: list[str], size: tuple[int, int]
) -> None:
    out = tmp_path / "out.png"
    assert main(["upscale", str(base), str(out), "--upscaler", "bicubic", *options]) == 0
    assert pixels(out).shape == (size[1], size[0], 3)


def test_models_are_listed(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["models", "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)
    assert {"name", "kind", "factor"} <= set(listed[0])
    assert {entry["kind"] for entry in listed} == {"upscaler", "refiner"}


def test_what_is_wrong_is_reported_in_a_line_and_nothing_is_written(
    tmp_path: Path, base: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    good = str(schedule(tmp_path, COAT))
    (tmp_path / "bad.json").write_text('{"coats": [{"factor": "big"}]}')
    (tmp_path / "broken.json").write_text("{")
    out = str(tmp_path / "out.png")
    cases = {
        ("fire", str(base), out, "--schedule", str(tmp_path / "bad.json")): "coats[0].factor",
        ("fire", str(base), out, "--schedule", str(tmp_path / "broken.json")): "no JSON",
        ("fire", str(base), out, "--schedule", "nowhere.json"): "can't be read",
        ("fire", "nowhere.png", out, "--schedule", good): "no file",
        ("fire", str(base), "out.gif", "--schedule", good): "ends in .gif; name it .avif",
        (
            "fire",
            str(base),
            out,
            "--schedule",
            good,
            "--window",
            "900,0,9,9",
        ): "does not lie inside",
        ("upscale", str(base), out, "--upscaler", "bicubic"): "Give --factor",
        ("upscale", str(base), out, "--upscaler", "best", "--factor", "2"): "lanczos",
    }
    for arguments, words in cases.items():
        assert main(list(arguments)) == 2
        output = capsys.readouterr().err
        assert words in output
        assert "Traceback" not in output
    assert not Path(out).exists()


def test_it_is_installed_as_a_command_and_core_needs_no_django() -> None:
    command = shutil.which("enamel", path=str(Path(sys.executable).parent))
    assert command
    subprocess.run([command, "models"], check=True, capture_output=True)
    probe = "import enamel.cli, sys; sys.exit('django' in sys.modules)"
    subprocess.run([sys.executable, "-c", probe], check=True)


def test_a_reader_who_has_seen_enough_is_no_error() -> None:
    """As in `enamel schema | head -1`."""
    command = f"{sys.executable} -m enamel.cli schema | head -c 1; exit ${{PIPESTATUS[0]}}"
    done = subprocess.run(
        ["bash", "-c", command], capture_output=True, text=True, cwd=Path(__file__).parents[2]
    )
    assert done.stdout == "{"
    assert done.stderr == ""
    assert done.returncode in (0, 141)  # 0 where all of it fitted into the pipe


def test_the_list_of_commands_imports_nothing_heavy() -> None:
    probe = (
        "import sys; from enamel.cli import main\n"
        "try: main(['--help'])\nexcept SystemExit: pass\n"
        "heavy = {'numpy', 'cv2', 'pyvips', 'onnxruntime', 'openvino', 'httpx', 'django'}\n"
        "sys.exit(str(sorted(heavy & set(sys.modules))) if heavy & set(sys.modules) else 0)"
    )
    done = subprocess.run([sys.executable, "-c", probe], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    for word in ("fire", "touch-up", "print", "remote"):
        assert f"    {word} " in done.stdout
