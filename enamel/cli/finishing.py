"""`enamel finish`: tone, colour, sharpening, noise and grain by a recipe."""

import argparse
import json
import tempfile
from pathlib import Path

from enamel.cli.files import output_of, output_options, read_input, read_json
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat
from enamel.core.finishing.automatic import automatic
from enamel.core.finishing.facts import measured
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Finish, finish_schema
from enamel.core.pipeline.firing import materialise


def add_finish(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel finish`."""
    command.add_argument("input", type=Path, nargs="?", metavar="IN")
    command.add_argument("output", type=Path, nargs="?", metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--recipe", type=Path, metavar="FILE.json", help="as the web keeps them")
    command.add_argument(
        "--automatic", action="store_true", help="choose each step's values automatically"
    )
    command.add_argument("--base", type=Path, metavar="BASE", help="what it is matched to")
    command.add_argument("--describe", action="store_true", help="print the recipes' JSON Schema")
    output_options(command)
    command.set_defaults(run=run_finish)


ARGUMENTS = {"finish": add_finish}


def run_finish(given: argparse.Namespace) -> None:
    if given.describe:
        print(json.dumps(finish_schema(), indent=2, ensure_ascii=False))
        return
    if given.input is None or given.output is None:
        raise Refusal("Give IN and OUT, or --describe.")
    if (given.recipe is None) != given.automatic:
        raise Refusal("Give --recipe FILE.json, or --automatic, one of both.")
    FileFormat.of(given.output)
    recipe = Finish.from_json(read_json(given.recipe)) if given.recipe else Finish()
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        scratch = Path(folder)
        layer = read_input(given.input, scratch, "layer")
        base = read_input(given.base, scratch, "base") if given.base else None
        overview, reference = Overview.of(layer), Overview.of(base) if base else None
        if given.automatic:
            scale = layer.size.width / base.size.width if base else 1.0
            facts = measured(layer, overview, scale)
            recipe, reasons = automatic(recipe, facts, overview, reference)
            for name, step in recipe.steps.items():
                print(f"{step.NAME}: {reasons[name]}")
        made = Finished(layer, recipe, overview, reference)
        with materialise(made, made.whole, scratch / "result.npy") as result:
            export(result, given.output, ppi=given.ppi, output=output_of(given))
