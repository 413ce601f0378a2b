"""`enamel print`: print files of any kind, by the same settings as on the web."""

import argparse
import json
import tempfile
from pathlib import Path

from enamel.cli.files import read_input, read_json
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import PrintSettings, print_schema
from enamel.core.export.placed import laid
from enamel.core.printing.paper import reason


def add_print(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel print`."""
    command.add_argument("input", type=Path, nargs="?", metavar="IN")
    command.add_argument("output", type=Path, nargs="?", metavar="OUT", help="its ending says what")
    command.add_argument("--settings", type=Path, metavar="FILE.json", help="as the web keeps them")
    command.add_argument("--describe", action="store_true", help="print the settings' JSON Schema")
    command.set_defaults(run=run_print)


ARGUMENTS = {"print": add_print}


def run_print(given: argparse.Namespace) -> None:
    if given.describe:
        print(json.dumps(print_schema(), indent=2, ensure_ascii=False))
        return
    if given.input is None or given.output is None:
        raise Refusal("Give IN and OUT, or --describe.")
    form = read_json(given.settings) if given.settings else {}
    settings = PrintSettings.from_json(form).as_file(given.output)
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        layer = read_input(given.input, Path(folder))
        placed, ppi, size = laid(settings, layer.size)
        note = export(layer, given.output, ppi=ppi, output=settings.output, placed=placed)
    words = note or reason(settings.output.paper, ppi)
    print(f"{given.output}: {size} at {ppi:.0f} ppi. {words}")
