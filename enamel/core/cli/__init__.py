"""The command `enamel`: the same engine without the web."""

import argparse
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeAlias

from enamel.core.cli import batch, files, finishing, firing, mending, printing
from enamel.core.cli.files import output_options, window
from enamel.core.errors import Refusal, Stopped

__all__ = ["batch", "files", "finishing", "firing", "main", "mending", "parser", "printing"]


Commands: TypeAlias = "argparse._SubParsersAction[argparse.ArgumentParser]"


def main(
    arguments: Sequence[str] | None = None, more: Callable[[Commands], None] | None = None
) -> int:
    """Run the command; 0 when it did what was asked, 2 when it refused, 130 when interrupted.

    Parameters
    ----------
    more : adds words that are not of core.
    """
    chosen = parser(more).parse_args(arguments)
    try:
        chosen.run(chosen)
    except Refusal as refusal:
        print(f"enamel: {refusal}", file=sys.stderr)
        return 2
    except (KeyboardInterrupt, Stopped):
        print("enamel: stopped. Finished tiles are kept when --work is given.", file=sys.stderr)
        return 130
    return 0


def parser(more: Callable[[Commands], None] | None = None) -> argparse.ArgumentParser:
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
    command.set_defaults(run=firing.run_fire)

    command = commands.add_parser("upscale", help="enlarge only")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--upscaler", required=True, metavar="NAME")
    command.add_argument("--factor", type=float)
    command.add_argument("--width", type=int)
    command.add_argument("--height", type=int)
    output_options(command)
    command.set_defaults(run=firing.run_upscale)

    command = commands.add_parser("models", help="list upscalers and refiners, or take one in")
    command.add_argument("--json", action="store_true")
    command.add_argument(
        "--take-in", type=Path, metavar="PATH", help="one of your own: ONNX file or checkpoint"
    )
    command.add_argument("--name", help="what to call it; the file's name when left out")
    command.set_defaults(run=firing.run_models)

    command = commands.add_parser("plan", help="propose the coats to a size")
    command.add_argument("width", type=int)
    command.add_argument("height", type=int)
    command.add_argument("--to", type=int, nargs=2, required=True, metavar=("WIDTH", "HEIGHT"))
    command.add_argument("--prompt", default="")
    command.add_argument("--upscaler", default="lanczos", metavar="NAME")
    command.set_defaults(run=firing.run_plan)

    command = commands.add_parser("check", help="measure a result against its base")
    command.add_argument("base", type=Path, metavar="BASE")
    command.add_argument("result", type=Path, metavar="RESULT")
    command.add_argument("--schedule", type=Path, metavar="FILE", help="what made it, for joins")
    command.add_argument("--json", action="store_true", help="all measures, findings and maps")
    command.set_defaults(run=firing.run_check)

    command = commands.add_parser("schema", help="print the JSON Schema of schedule files")
    command.set_defaults(run=firing.run_schema)
    batch.add_commands(commands)
    mending.add_commands(commands)
    finishing.add_commands(commands)
    printing.add_commands(commands)
    if more is not None:
        more(commands)
    return top
