"""Add artists' own models from ONNX files.

The graph is examined and the network is run on probes, in a separate process with limits on time and
memory: a foreign file may ask for any amount of either. The result is a card beside the file, or a
`Refusal` that says what is missing.
"""

import json
import shutil
from pathlib import Path
from typing import Any

from enamel.core.diffusion.probe import RefinerProbe
from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.limited import answer, answer_of
from enamel.core.networks.cards import Card, own_folder
from enamel.core.networks.names import check_name
from enamel.core.networks.runtimes import Runtime, described
from enamel.core.timing import medians_in_turn, seconds_of
from enamel.core.upscaling.probe import UpscalerProbe

SECONDS = 120
QUICK = 1.0
"""Seconds up to which a run is repeated when runtimes are compared."""
LARGEST_BYTES = 400 * 10**6
NO_SLOWER = 1.05
"""OpenVINO runs a network unless it takes this many times as long as ONNX Runtime."""


def accept(path: Path) -> dict[str, Any]:
    """Test a model's file; return its kind, its factor and the kind's part of a card.

    Raises
    ------
    Refusal
        When the file is no upscaler or refiner that Enamel can run; the message says why.
    """
    if path.stat().st_size > LARGEST_BYTES:
        raise Refusal(f"This file has more than {LARGEST_BYTES / 1e6:.0f} MB.")
    found: dict[str, Any] = answer_of(
        "enamel.core.networks.intake", str(path), seconds=SECONDS, thing="network", readable=[path]
    )
    return found


def add_model(path: Path, name: str, *, summary: str = "", licence: str = "") -> Card:
    """Accept a file and put it, with its card, into the folder of own models.

    Parameters
    ----------
    name : its name in schedules: 2 to 40 lower-case letters, digits and hyphens, not in use yet.

    Raises
    ------
    Refusal
        When the file can't be run or the name can't be used; the folder is as it was then.
    """
    folder = own_folder()
    if folder is None:
        raise Refusal("There is no folder for own models; ENAMEL_MODELS has to name one.")
    check_name(name)
    facts = {"name": name, "summary": summary, "licence": licence} | accept(path)
    file = folder / f"{name}.onnx"
    if path != file:
        with whole_file(file) as partial:
            shutil.copyfile(path, partial)
    # the card is written last and atomically: without one the model does not exist
    with whole_file(file.with_suffix(".json")) as partial:
        partial.write_text(json.dumps(facts, indent=2, ensure_ascii=False) + "\n")
    return Card(name, facts["kind"], file, facts)


def waiting() -> list[Path]:
    """ONNX files that were put into the folder of own models and not added yet."""
    folder = own_folder()
    if folder is None:
        return []
    found = sorted(folder.glob("*.onnx"))
    return [path for path in found if not path.with_suffix(".json").exists()]


def inspected(path: Path) -> dict[str, Any]:
    """Examine the graph, find its faster runtime, and run the probes, in this process."""
    plain = probe_of(path, Runtime.ONNXRUNTIME)
    try:
        other = probe_of(path, Runtime.OPENVINO)
        times = 5 if seconds_of(plain.once) < QUICK else 1
        there, here = medians_in_turn(plain.once, other.once, times=times)
        quick = here <= there * NO_SLOWER
    except Refusal:
        quick = False
    if quick:
        return {"runtime": Runtime.OPENVINO, **other.facts()}
    return {"runtime": Runtime.ONNXRUNTIME, **plain.facts()}


def probe_of(path: Path, runtime: Runtime) -> RefinerProbe | UpscalerProbe:
    """Return the probe for a file's kind."""
    network = described(path, runtime)
    return RefinerProbe(network) if RefinerProbe.fits(network) else UpscalerProbe(network)


if __name__ == "__main__":
    answer(lambda arguments, on_progress: inspected(Path(arguments[0])), SECONDS)
