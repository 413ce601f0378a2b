"""What the commands share: reading pictures and settings, and showing progress."""

import argparse
import sys
from pathlib import Path
from typing import Any

from enamel.core import jsontext
from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat, Output
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.pixels import Limits, examine, read_canvas
from enamel.core.progress import Progress
from enamel.core.schedule import Schedule


def output_options(command: argparse.ArgumentParser) -> None:
    command.add_argument("--ppi", type=float, default=300.0, help="resolution in the file")
    command.add_argument("--bits", type=int, default=8, choices=(8, 16))


def output_of(given: argparse.Namespace) -> Output:
    """Return the output settings from the command's arguments."""
    return Output(FileFormat.of(given.output), given.bits)


def window(text: str) -> Box:
    """Return a window from X,Y,W,H."""
    try:
        x, y, width, height = (int(part) for part in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not X,Y,W,H in whole pixels") from None
    return Box(x, y, width, height)


def read_json(path: Path) -> Any:
    """Return the JSON in a file of settings; a `Refusal` when it is not JSON."""
    try:
        return jsontext.read_json(path.read_bytes())
    except OSError as error:
        raise Refusal(f"{path} can't be read: {error.strerror}.") from None
    except Refusal as refusal:
        raise Refusal(f"{path}: {refusal}") from None


def read_schedule(path: Path) -> Schedule:
    """Return the schedule in a file; a `Refusal` says where it is wrong."""
    return Schedule.from_json(read_json(path))


def read_input(path: Path, scratch: Path, name: str = "base") -> Canvas:
    """Return a picture file as a canvas in the scratch folder, under a unique name."""
    if not path.is_file():
        raise Refusal(f"There is no file {path}.")
    limits = Limits()
    return read_canvas(path, examine(path, limits), scratch / f"{name}.npy")


def show(progress: Progress) -> None:
    """Show progress on one line of standard error."""
    line = f"\rcoat {progress.coat + 1}: {progress.done} of {progress.total} tiles"
    print(line, end="\n" if progress.done == progress.total else "", file=sys.stderr, flush=True)
