"""The command `enamel`: the same engine without the web."""

import argparse
import json
import platform
import sys
import tempfile
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import numpy
import onnxruntime
import openvino
import pyvips

from enamel.core.base.pixels import Limits, examine, read_canvas
from enamel.core.checks import Tiled, check
from enamel.core.errors import Refusal, Stopped
from enamel.core.fire.firing import fire, materialise
from enamel.core.fire.planning import propose
from enamel.core.geometry import Box, Size
from enamel.core.networks.cards import cards
from enamel.core.networks.intake import take_in
from enamel.core.picture.canvas import Canvas
from enamel.core.print.file import FileFormat, export
from enamel.core.print.sizing import fitted
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Refine, Schedule, schedule_schema
from enamel.core.upscale import Enlarged, chosen
from enamel.core.upscale.resample import FILTERS


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; 0 when it did what was asked, 2 when it refused, 130 when interrupted."""
    chosen = parser().parse_args(arguments)
    try:
        chosen.run(chosen)
    except Refusal as refusal:
        print(f"enamel: {refusal}", file=sys.stderr)
        return 2
    except (KeyboardInterrupt, Stopped):
        print("enamel: stopped. Finished tiles are kept when --work is given.", file=sys.stderr)
        return 130
    return 0


def parser() -> argparse.ArgumentParser:
    """The command's words."""
    top = argparse.ArgumentParser(prog="enamel", description=__doc__)
    commands = top.add_subparsers(required=True, metavar="COMMAND")

    command = commands.add_parser("fire", help="run a schedule on a picture")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--schedule", type=Path, required=True, metavar="FILE.json")
    command.add_argument("--window", type=window, metavar="X,Y,W,H", help="only this part")
    command.add_argument("--work", type=Path, metavar="DIR", help="keep finished tiles, go on")
    command.add_argument("--report", type=Path, metavar="FILE.json")
    command.add_argument("--quiet", action="store_true", help="no progress on standard error")
    output_options(command)
    command.set_defaults(run=run_fire)

    command = commands.add_parser("upscale", help="enlarge only")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--upscaler", required=True, metavar="NAME")
    command.add_argument("--factor", type=float)
    command.add_argument("--width", type=int)
    command.add_argument("--height", type=int)
    output_options(command)
    command.set_defaults(run=run_upscale)

    command = commands.add_parser("models", help="list upscalers and refiners, or take one in")
    command.add_argument("--json", action="store_true")
    command.add_argument("--take-in", type=Path, metavar="FILE.onnx", help="one of your own")
    command.add_argument("--name", help="what to call it; the file's name when left out")
    command.set_defaults(run=run_models)

    command = commands.add_parser("plan", help="propose the coats to a size")
    command.add_argument("width", type=int)
    command.add_argument("height", type=int)
    command.add_argument("--to", type=int, nargs=2, required=True, metavar=("WIDTH", "HEIGHT"))
    command.add_argument("--prompt", default="")
    command.add_argument("--upscaler", default="lanczos", metavar="NAME")
    command.set_defaults(run=run_plan)

    command = commands.add_parser("check", help="measure a result against its base")
    command.add_argument("base", type=Path, metavar="BASE")
    command.add_argument("result", type=Path, metavar="RESULT")
    command.add_argument("--schedule", type=Path, metavar="FILE", help="what made it, for joins")
    command.add_argument("--json", action="store_true", help="all measures, findings and maps")
    command.set_defaults(run=run_check)

    command = commands.add_parser("schema", help="print the JSON Schema of schedule files")
    command.set_defaults(run=run_schema)
    return top


def output_options(command: argparse.ArgumentParser) -> None:
    command.add_argument("--ppi", type=float, default=300.0, help="resolution in the file")
    command.add_argument("--bits", type=int, default=8, choices=(8, 16))


def window(text: str) -> Box:
    """A window from X,Y,W,H."""
    try:
        x, y, width, height = (int(part) for part in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not X,Y,W,H in whole pixels") from None
    return Box(x, y, width, height)


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
            listener=(lambda progress: None) if chosen.quiet else show,
        )
        # before the file is written: libvips maps the canvas, and its pages, which the system can take
        # back at any time, would count as memory of the firing
        report = fired.to_json() | {"input_size": list(base.size), "versions": versions()}
        export(fired.result, chosen.output, ppi=chosen.ppi, bits=chosen.bits)
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
        export(fired.result, chosen.output, ppi=chosen.ppi, bits=chosen.bits)


def run_models(chosen: argparse.Namespace) -> None:
    if chosen.take_in is not None:
        if not chosen.take_in.is_file():
            raise Refusal(f"There is no file {chosen.take_in}.")
        taken = take_in(chosen.take_in, chosen.name or chosen.take_in.stem.lower())
        print(f"{taken.name} is taken in as {taken.kind}.", file=sys.stderr)
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
    """The last coat of a schedule, with what it refined when it was the only one to be laid.

    Of several coats the earlier results are not at hand; the base, enlarged by the last one's
    upscaler, stands for what it refined.
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


def read_schedule(path: Path) -> Schedule:
    """A schedule file; a `Refusal` says where it is wrong."""
    try:
        given = json.loads(path.read_text())
    except OSError as error:
        raise Refusal(f"{path} can't be read: {error.strerror}.") from None
    except ValueError as error:
        raise Refusal(f"{path} is not JSON: {error}.") from None
    return Schedule.from_json(given)


def read_input(path: Path, scratch: Path, name: str = "base") -> Canvas:
    """A picture file as a canvas in the scratch folder, under a name of its own."""
    if not path.is_file():
        raise Refusal(f"There is no file {path}.")
    limits = Limits()
    return read_canvas(path, examine(path, limits), scratch / f"{name}.npy")


def show(progress: Progress) -> None:
    """Progress on one line of standard error."""
    line = f"\rcoat {progress.coat + 1}: {progress.done} of {progress.total} tiles"
    print(line, end="\n" if progress.done == progress.total else "", file=sys.stderr, flush=True)


def versions() -> dict[str, str]:
    """What computed the pixels, for the report."""
    vips = ".".join(str(pyvips.version(part)) for part in range(3))
    return {
        "python": platform.python_version(),
        "numpy": numpy.__version__,
        "onnxruntime": onnxruntime.__version__,
        "openvino": openvino.__version__,
        "libvips": vips,
    }


if __name__ == "__main__":
    sys.exit(main())
