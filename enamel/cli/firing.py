"""The commands `fire`, `upscale`, `models`, `plan`, `check` and `schema`."""

import argparse
import json
import platform
import sys
import tempfile
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import numpy
import onnxruntime
import openvino
import pyvips

from enamel.cli.files import output_of, output_options, read_input, read_schedule, show, window
from enamel.core.checkpoints import intake as checkpoints
from enamel.core.checks import Tiled, check
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.networks.cards import cards
from enamel.core.networks.intake import add_model
from enamel.core.networks.names import name_from
from enamel.core.pipeline.firing import fire, materialise
from enamel.core.pipeline.planning import propose
from enamel.core.printing.sizing import fitted
from enamel.core.schedule import Coat, Refine, Schedule, schedule_schema
from enamel.core.upscaling import Enlarged, chosen
from enamel.core.upscaling.resample import FILTERS


def add_fire(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel fire`."""
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--schedule", type=Path, required=True, metavar="FILE.json")
    command.add_argument("--window", type=window, metavar="X,Y,W,H", help="only this part")
    command.add_argument(
        "--work", type=Path, metavar="DIR", help="keep finished tiles and resume from them"
    )
    command.add_argument("--report", type=Path, metavar="FILE.json")
    command.add_argument("--quiet", action="store_true", help="no progress on standard error")
    output_options(command)
    command.set_defaults(run=run_fire)


def add_upscale(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel upscale`."""
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--upscaler", required=True, metavar="NAME")
    command.add_argument("--factor", type=float)
    command.add_argument("--width", type=int)
    command.add_argument("--height", type=int)
    output_options(command)
    command.set_defaults(run=run_upscale)


def add_models(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel models`."""
    command.add_argument("--json", action="store_true")
    command.add_argument(
        "--add",
        dest="add_model",
        type=Path,
        metavar="PATH",
        help="add your own: ONNX file or checkpoint",
    )
    command.add_argument("--name", help="what to call it; the file's name when left out")
    command.set_defaults(run=run_models)


def add_plan(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel plan`."""
    command.add_argument("width", type=int)
    command.add_argument("height", type=int)
    command.add_argument("--to", type=int, nargs=2, required=True, metavar=("WIDTH", "HEIGHT"))
    command.add_argument("--prompt", default="")
    command.add_argument("--upscaler", default="lanczos", metavar="NAME")
    command.set_defaults(run=run_plan)


def add_check(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel check`."""
    command.add_argument("base", type=Path, metavar="BASE")
    command.add_argument("result", type=Path, metavar="RESULT")
    command.add_argument("--schedule", type=Path, metavar="FILE", help="what made it, for joins")
    command.add_argument("--json", action="store_true", help="all measures, findings and maps")
    command.set_defaults(run=run_check)


def add_schema(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel schema`."""
    command.set_defaults(run=run_schema)


ARGUMENTS = {
    "fire": add_fire,
    "upscale": add_upscale,
    "models": add_models,
    "plan": add_plan,
    "check": add_check,
    "schema": add_schema,
}


def run_fire(chosen: argparse.Namespace) -> None:
    schedule = read_schedule(chosen.schedule)
    FileFormat.of(chosen.output)
    with ExitStack() as stack:
        scratch = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="enamel-")))
        base = read_input(chosen.input, scratch)
        fired = fire(
            base,
            schedule,
            chosen.work or scratch / "work",
            window=chosen.window,
            on_progress=(lambda progress: None) if chosen.quiet else show,
        )
        # before the file is written: libvips maps the canvas, whose pages would count as memory of the
        # firing, although the system can reclaim them at any time
        report = fired.to_json() | {"input_size": list(base.size), "versions": versions()}
        export(fired.result, chosen.output, ppi=chosen.ppi, output=output_of(chosen))
    if chosen.report:
        chosen.report.write_text(json.dumps(report, indent=2) + "\n")


def run_upscale(chosen: argparse.Namespace) -> None:
    FileFormat.of(chosen.output)
    sides = chosen.width, chosen.height
    if (chosen.factor is None) == (sides == (None, None)):
        raise Refusal("Give --factor, or --width, --height or both.")
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        base = read_input(chosen.input, Path(folder))
        size: Size | None = None
        if chosen.factor is None:
            size = Size(*sides) if None not in sides else fitted(base.size, *sides)
        coat = Coat(factor=chosen.factor, size=size, upscaler=chosen.upscaler)
        fired = fire(base, Schedule((coat,)), Path(folder) / "work")
        export(fired.result, chosen.output, ppi=chosen.ppi, output=output_of(chosen))


def run_models(chosen: argparse.Namespace) -> None:
    if chosen.add_model is not None:
        path = chosen.add_model
        if not path.exists():
            raise Refusal(f"There is no file {path}.")
        take = checkpoints.add_model if checkpoints.is_checkpoint_path(path) else add_model
        taken = take(path, chosen.name or name_from(path.name))
        print(f"{taken.name} is added as {taken.kind}.", file=sys.stderr)
    found: list[dict[str, Any]] = [
        {"name": name, "kind": "upscaler", "factor": None, "summary": "Plain interpolation."}
        for name in FILTERS
    ]
    for card in cards():
        found.append(
            {
                "name": card.name,
                "kind": card.kind,
                "factor": card.factor,
                "summary": card.facts["summary"],
                "radius": card.radius,
                "own": card.own,
                "sha256": card.digest,
            }
        )
    if chosen.json:
        print(json.dumps(found, indent=2))
        return
    for model in found:
        factor = f"{model['factor']}×" if model["factor"] else ""
        print(f"{model['name']:<12} {model['kind']:<9} {factor:<3} {model['summary']}")


def run_plan(chosen: argparse.Namespace) -> None:
    base, target = Size(chosen.width, chosen.height), Size(*chosen.to)
    stages = propose(base, target, Refine(prompt=chosen.prompt), chosen.upscaler)
    for number, stage in enumerate(stages, 1):
        print(f"{number}. {stage.sentence}", file=sys.stderr)
    print(json.dumps(Schedule(tuple(stage.coat for stage in stages)).to_json(), indent=2))


def run_check(given: argparse.Namespace) -> None:
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        base = read_input(given.base, Path(folder), "base")
        result = read_input(given.result, Path(folder), "result")
        tiled = None
        if given.schedule:
            tiled = tiles_of(read_schedule(given.schedule), base, result.size, Path(folder))
        report = check(base, result, tiled)
    if given.json:
        print(json.dumps(report.to_json(), indent=2, ensure_ascii=False))
        return
    print(report.verdict)
    for finding in report.findings:
        print(f"{finding.severity:<7} {finding.words} ({finding.box})")
    for cure in report.cures:
        print(f"Joins would show less with: {cure.words}, {cure.work:.1f} times the work.")


def tiles_of(schedule: Schedule, base: Canvas, size: Size, folder: Path) -> Tiled | None:
    """Return the tiling of a schedule's last coat, with the picture that it refined.

    Of several coats the earlier results are not available, so the base, enlarged by the last coat's
    upscaler, is used in place of the picture that it refined.
    """
    coat = schedule.laid[-1]
    before = Schedule(schedule.laid[:-1]).sizes(base.size)[-1] if schedule.laid[1:] else base.size
    if coat.size_from(before) != size:
        raise Refusal(
            f"The schedule makes {coat.size_from(before)} of this base, and the result has {size}. "
            "Give the schedule that made it, or none."
        )
    enlarged = materialise(
        Enlarged(base, size, chosen(coat)), Box.whole(size), folder / "enlarged.npy"
    )
    return Tiled(coat, before, enlarged)


def run_schema(chosen: argparse.Namespace) -> None:
    print(json.dumps(schedule_schema(), indent=2, ensure_ascii=False))


def versions() -> dict[str, str]:
    """Return the versions of all that computed the pixels, for the report."""
    vips = ".".join(str(pyvips.version(part)) for part in range(3))
    return {
        "python": platform.python_version(),
        "numpy": numpy.__version__,
        "onnxruntime": onnxruntime.__version__,
        "openvino": openvino.__version__,
        "libvips": vips,
    }
