"""The commands `touch-up`, `inlay` and `faces`."""

import argparse
import json
import tempfile
from pathlib import Path

from enamel.cli.files import output_of, output_options, read_input, read_json, show
from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat
from enamel.core.faces.detection import detect_faces
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.masks.coverage import PictureMask
from enamel.core.pipeline.firing import materialise
from enamel.core.pipeline.inlay import Inlaid, Inlay, Mixing
from enamel.core.pipeline.touchup import Origin, Patch, TouchUp, touch_up


def add_touch_up(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel touch-up`."""
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument("--mask", type=Path, required=True, metavar="MASK", help="white is mended")
    command.add_argument("--settings", type=Path, metavar="FILE.json", help="as the web keeps them")
    command.add_argument("--base", type=Path, metavar="BASE", help="refine this, enlarged, instead")
    command.add_argument(
        "--work", type=Path, metavar="DIR", help="keep finished tiles and resume from them"
    )
    command.add_argument("--quiet", action="store_true", help="no progress on standard error")
    output_options(command)
    command.set_defaults(run=run_touch_up)


def add_inlay(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel inlay`."""
    command.add_argument("under", type=Path, metavar="UNDER")
    command.add_argument("over", type=Path, metavar="OVER")
    command.add_argument("output", type=Path, metavar="OUT", help=".png, .tif or .jpg")
    command.add_argument(
        "--mask", type=Path, metavar="MASK", help="white shows OVER; all when left out"
    )
    command.add_argument("--opacity", type=float, default=1.0)
    command.add_argument("--mixing", default=str(Mixing.AS_IT_IS), choices=[str(m) for m in Mixing])
    command.add_argument(
        "--seamless", type=float, default=0.0, help="0 to 1: colour led in from around"
    )
    output_options(command)
    command.set_defaults(run=run_inlay)


def add_faces(command: argparse.ArgumentParser) -> None:
    """Declare the arguments of `enamel faces`."""
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=run_faces)


ARGUMENTS = {"touch-up": add_touch_up, "inlay": add_inlay, "faces": add_faces}


def run_touch_up(given: argparse.Namespace) -> None:
    FileFormat.of(given.output)
    settings = settings_of(given.settings)
    if (settings.origin is Origin.BASE) != (given.base is not None):
        raise Refusal('Give --base together with "origin": "base" in the settings, or neither.')
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        scratch = Path(folder)
        layer = read_input(given.input, scratch, "layer")
        mask = PictureMask(read_input(given.mask, scratch, "mask"), layer.size)
        base = read_input(given.base, scratch, "base") if given.base else None
        into = scratch / "result.npy"
        touch_up(
            layer, settings, given.work or scratch / "work", into,
            base=base, masks=(mask,) * len(settings.patches),
            on_progress=(lambda progress: None) if given.quiet else show,
        )  # fmt: skip
        with Canvas(into) as result:
            export(result, given.output, ppi=given.ppi, output=output_of(given))


def settings_of(path: Path | None) -> TouchUp:
    """Return the touch-up in a file; without a file, one patch with the default settings."""
    form = read_json(path) if path else {}
    if isinstance(form, dict):
        form = {"patches": [to_json(Patch())], **form}
    return TouchUp.from_json(form)


def run_inlay(given: argparse.Namespace) -> None:
    FileFormat.of(given.output)
    settings = Inlay(
        opacity=given.opacity, mixing=Mixing(given.mixing), seamless=given.seamless
    )  # fmt: skip
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        scratch = Path(folder)
        under, over = (
            read_input(getattr(given, name), scratch, name) for name in ("under", "over")
        )
        mask = None
        if given.mask:
            mask = PictureMask(read_input(given.mask, scratch, "mask"), under.size)
        made = Inlaid(under, over, settings, mask)
        with materialise(made, Box.whole(under.size), scratch / "result.npy") as result:
            export(result, given.output, ppi=given.ppi, output=output_of(given))


def run_faces(given: argparse.Namespace) -> None:
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        found = detect_faces(read_input(given.input, Path(folder)))
    if given.json:
        faces = [
            {
                "box": [face.box.x, face.box.y, *face.box.size],
                "score": round(face.score, 1),
                "turn": round(face.turn, 1),
            }
            for face in found
        ]
        print(json.dumps(faces, indent=2))
        return
    for number, face in enumerate(found, 1):
        print(
            f"{number:>3}  {face.box}, turned by {face.turn:.0f}\u00b0, sure to {face.score:.0f}\u00a0%"
        )
    if not found:
        print("No face was found.")
