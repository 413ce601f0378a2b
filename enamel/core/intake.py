"""Taking in models that an artist brings as ONNX files.

The graph is looked at and the network is run on probes, in a process of its own with limits on time
and memory: a file from elsewhere may ask for anything. What comes of it is a card beside the file, or
a `Refusal` that says what is missing.
"""

import json
import os
import re
import resource
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

from enamel.core.diffusion.probe import RefinerProbe
from enamel.core.errors import FieldRefusal, Refusal, require
from enamel.core.networks import Runtime, described
from enamel.core.timing import medians_in_turn
from enamel.core.upscale.probe import UpscalerProbe
from enamel.core.upscale.resample import FILTERS
from enamel.core.weights import Card, cards, own_folder

SECONDS = 120
MEMORY_BYTES = 6 * 2**30
LARGEST_BYTES = 400 * 10**6
NO_SLOWER = 1.05
"""OpenVINO runs a network unless it takes this many times as long as ONNX Runtime."""
NAME = re.compile(r"[a-z0-9][a-z0-9-]{1,39}")


def accept(path: Path) -> dict[str, Any]:
    """What has to be known of a model's file to run it: kind, factor and the kind's part of a card.

    Raises
    ------
    Refusal
        When the file is no upscaler or refiner that Enamel can run; the message says why.
    """
    if path.stat().st_size > LARGEST_BYTES:
        raise Refusal(f"This file has more than {LARGEST_BYTES / 1e6:.0f} MB.")
    command = [sys.executable, "-m", "enamel.core.intake", str(path)]
    try:
        probing = subprocess.run(
            command, capture_output=True, text=True, timeout=SECONDS, preexec_fn=_limited
        )
    except subprocess.TimeoutExpired:
        raise Refusal(
            f"This network did not get through the probes in {SECONDS} s; it is too slow for "
            "pictures of print size."
        ) from None
    try:
        found: dict[str, Any] = json.loads(probing.stdout)
    except ValueError:
        raise Refusal(
            "This network broke off while it was tried, most likely for lack of memory."
        ) from None
    if "refused" in found:
        raise Refusal(found["refused"])
    return found


def take_in(path: Path, name: str, *, summary: str = "", licence: str = "") -> Card:
    """Accept a file and put it, with its card, into the folder of own models.

    Parameters
    ----------
    name : what schedules will call it: 2 to 40 small letters, digits and hyphens, not in use yet.

    Raises
    ------
    Refusal
        When the file can't be run or the name can't be used; the folder is as it was then.
    """
    folder = own_folder()
    if folder is None:
        raise Refusal("There is no folder for own models; ENAMEL_MODELS has to name one.")
    expected = "2 to 40 small letters, digits and hyphens, a letter or digit first"
    require(NAME.fullmatch(name) is not None, "name", name, expected)
    if name in {*FILTERS, *(card.name for card in cards())}:
        raise FieldRefusal("name", f"There is a model named {name} already. Choose another name.")
    facts = {"name": name, "summary": summary, "licence": licence} | accept(path)
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / f"{name}.onnx"
    if path != file:
        partial = file.with_suffix(".part")
        shutil.copyfile(path, partial)
        os.replace(partial, file)
    # the card comes last and whole: a model without one is not there
    partial = file.with_suffix(".json.part")
    partial.write_text(json.dumps(facts, indent=2, ensure_ascii=False) + "\n")
    os.replace(partial, file.with_suffix(".json"))
    return Card(name, facts["kind"], file, facts)


def waiting() -> list[Path]:
    """ONNX files that were put into the folder of own models and not taken in yet."""
    folder = own_folder()
    if folder is None:
        return []
    found = sorted(folder.glob("*.onnx"))
    return [path for path in found if not path.with_suffix(".json").exists()]


def _limited() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (2 * SECONDS, 2 * SECONDS))


def inspected(path: Path) -> dict[str, Any]:
    """Look at the graph, find what runs it faster, and run the probes, in this process."""
    plain = probe_of(path, Runtime.ONNXRUNTIME)
    try:
        other = probe_of(path, Runtime.OPENVINO)
        there, here = medians_in_turn(plain.once, other.once, times=5)
        quick = here <= there * NO_SLOWER
    except Refusal:
        quick = False
    if quick:
        return {"runtime": Runtime.OPENVINO, **other.facts()}
    return {"runtime": Runtime.ONNXRUNTIME, **plain.facts()}


def probe_of(path: Path, runtime: Runtime) -> RefinerProbe | UpscalerProbe:
    """The file on the bench that suits its kind."""
    network = described(path, runtime)
    return RefinerProbe(network) if RefinerProbe.fits(network) else UpscalerProbe(network)


def main(path: str) -> None:
    try:
        found = inspected(Path(path))
    except Refusal as refusal:
        found = {"refused": str(refusal)}
    print(json.dumps(found))


if __name__ == "__main__":
    main(sys.argv[1])
