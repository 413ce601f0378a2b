"""Try a model on this machine: measure its speed, and make crops of some pictures with it.

Both in a separate process with limits, because a foreign network may loop or take all memory.
"""

import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import PIL.Image

from enamel.core.diffusion.refiners import refiner
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels, SampleArray, to_eight_bits
from enamel.core.limited import MEMORY_BYTES, OnFraction, answer, answer_of, bound_memory
from enamel.core.networks.cards import Card, CheckpointCard, cards
from enamel.core.pipeline.firing import fire
from enamel.core.pipeline.predict import measured_rate
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.upscaling.onnx import trained

SECONDS = 180
SHOWN = (136, 136)
"""Width and height in px of a crop after the model; before and after are side by side."""
GAP = 4


@dataclass(frozen=True, slots=True)
class Place:
    """A part of a picture to try a model on."""

    picture: Path
    middle: tuple[float, float]
    """As fractions of the picture's width and height."""


@dataclass(frozen=True, slots=True)
class TrialResults:
    """Results of a trial."""

    rate: float
    """Megapixels per second: of its result for an upscaler, that it sees for a refiner."""
    crops: tuple[bytes, ...]
    """For each place the part enlarged by interpolation beside the model's result, as WebP."""


def tried(name: str, places: Sequence[Place]) -> TrialResults:
    """Try an available model.

    Raises
    ------
    Refusal
        When the model fails, takes longer than `SECONDS`, or more memory than it may.
    """
    with TemporaryDirectory(prefix="enamel-trial-") as folder:
        asked = json.dumps([[str(place.picture), *place.middle] for place in places])
        rate = answer_of(
            "enamel.core.networks.trial", name, asked, folder, seconds=SECONDS, thing="network",
            readable=[place.picture for place in places], writable=[Path(folder)],
        )  # fmt: skip
        crops = (_file(Path(folder), number).read_bytes() for number in range(len(places)))
        return TrialResults(float(rate), tuple(crops))


def _file(folder: Path, number: int) -> Path:
    return folder / f"{number}.webp"


def _work(arguments: list[str], on_progress: OnFraction) -> Any:
    name, asked, folder = arguments
    entry = next(card for card in cards() if card.name == name)
    if not isinstance(
        entry, CheckpointCard
    ):  # those were tested within bounds that suit their size
        bound_memory(MEMORY_BYTES)
    rate = rate_of(entry)
    for number, (picture, *middle) in enumerate(json.loads(asked)):
        part = cut(Path(picture), (middle[0], middle[1]), Size(*SHOWN), entry.factor or 2)
        _file(Path(folder), number).write_bytes(crop_of(entry, part))
    return rate


def rate_of(entry: Card) -> float:
    """Return megapixels per second of a model here."""
    if entry.kind == "refiner":
        return measured_rate(refiner(entry.name))
    return trained(entry.name).rate


def crop_of(entry: Card, part: Pixels) -> bytes:
    """Return a part enlarged by interpolation beside the model's result, as WebP."""
    size = Size(*SHOWN)
    refine = Refine(model=entry.name, steps=6) if entry.kind == "refiner" else None
    plain = Coat(size=size, upscaler="lanczos")
    made = Coat(size=size, upscaler="lanczos" if refine else entry.name, refine=refine)
    return beside(laid(part, plain), laid(part, made))


def laid(part: Pixels, coat: Coat) -> SampleArray:
    """Return the result of a coat on a part of a picture."""
    with TemporaryDirectory(prefix="enamel-trial-") as folder:
        result = fire(part, Schedule((coat,)), Path(folder)).result
        return result.read(Box.whole(result.size)).copy()


def cut(picture: Path, middle: tuple[float, float], size: Size, factor: int) -> Pixels:
    """Return the part of a picture around a place that becomes ``size`` when enlarged by the factor."""
    with PIL.Image.open(picture) as image:
        pixels = np.asarray(image.convert("RGB"))
    width, height = size.width // factor, size.height // factor
    left = min(max(0, round(middle[0] * pixels.shape[1] - width / 2)), pixels.shape[1] - width)
    top = min(max(0, round(middle[1] * pixels.shape[0] - height / 2)), pixels.shape[0] - height)
    box = Box(left, top, width, height)
    return Pixels(pixels[box.slices].astype(np.uint16) * 257)


def beside(before: SampleArray, after: SampleArray) -> bytes:
    """Return two pictures of one size side by side with a white gap, as lossless WebP."""
    gap = np.full((before.shape[0], GAP, 3), 65535, np.uint16)
    both = to_eight_bits(np.concatenate([before, gap, after], axis=1))
    out = io.BytesIO()
    PIL.Image.fromarray(both).save(out, "WEBP", lossless=True)
    return out.getvalue()


if __name__ == "__main__":
    answer(_work, SECONDS, memory=None)
