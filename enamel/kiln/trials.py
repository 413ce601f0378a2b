"""Trying a model on this machine: how fast it is, and what it makes of parts of the demo pictures."""

import io
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import PIL.Image
from django.conf import settings
from django.db import transaction

from enamel.core.canvas import Pixels, SampleArray, to_eight_bits
from enamel.core.diffusion.onnx import refiner
from enamel.core.errors import Refusal
from enamel.core.fire import fire
from enamel.core.geometry import Box, Size
from enamel.core.predict import measured_rate
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.upscale.onnx import trained
from enamel.core.weights import Card
from enamel.kiln.models import Model, TrialCrop

SHOWN = (136, 136)
"""Width and height in px of a crop after the model; before and after stand side by side."""
GAP = 4
PLACES = (
    ("stationmaster.png", (0.466, 0.407), "The stationmaster's eye"),
    ("emblem.png", (0.54, 0.92), "Lettering of the emblem"),
    ("tea-car.jpg", (0.34, 0.69), "Copper, cloth and wood in the tea car"),
)
"""Demo picture, middle of the crop as shares of it, what is seen."""


def carry_out(name: str) -> None:
    """Measure the model and make its crops, replacing those of an earlier file. Safe to repeat."""
    entry = Model.objects.named(name)
    if entry is None or entry.tried:
        return
    try:
        rate = rate_of(entry.card)
        crops = list(crops_of(entry.card))
        entry.error = ""
    except Exception as error:  # a file from elsewhere may fail in any way; the page says so
        rate, crops = None, []
        entry.error = str(error) if isinstance(error, Refusal) else "It broke off while it ran."
    with transaction.atomic():
        entry.rate = rate
        entry.tried_sha256 = entry.card.digest
        entry.save()
        entry.crops.all().delete()
        TrialCrop.objects.bulk_create(
            TrialCrop(model=entry, place=place, shows=shows, image=image)
            for place, (shows, image) in enumerate(crops)
        )


def rate_of(entry: Card) -> float:
    """Megapixels per second: of its result for an upscaler, that it sees for a refiner."""
    if entry.kind == "refiner":
        return measured_rate(refiner(entry.name))
    return trained(entry.name).rate


def crops_of(entry: Card) -> Iterator[tuple[str, bytes]]:
    """What is seen, and the crop enlarged plainly beside what the model makes of it, as WebP."""
    factor = entry.factor or 2
    size = Size(*SHOWN)
    for file, middle, shows in PLACES:
        part = cut(file, middle, size, factor)
        refine = Refine(model=entry.name, steps=6) if entry.kind == "refiner" else None
        plain = Coat(size=size, upscaler="lanczos")
        made = Coat(size=size, upscaler="lanczos" if refine else entry.name, refine=refine)
        yield shows, beside(laid(part, plain), laid(part, made))


def laid(part: Pixels, coat: Coat) -> SampleArray:
    """A coat on a part of a picture, whole."""
    with TemporaryDirectory(prefix="enamel-trial-") as folder:
        result = fire(part, Schedule((coat,)), Path(folder)).result
        return result.read(Box.whole(result.size)).copy()


def cut(file: str, middle: tuple[float, float], size: Size, factor: int) -> Pixels:
    """The part of a demo picture around a place that becomes ``size`` when enlarged by the factor."""
    with PIL.Image.open(settings.DEMO_PICTURES / file) as image:
        pixels = np.asarray(image.convert("RGB"))
    width, height = size.width // factor, size.height // factor
    left = min(max(0, round(middle[0] * pixels.shape[1] - width / 2)), pixels.shape[1] - width)
    top = min(max(0, round(middle[1] * pixels.shape[0] - height / 2)), pixels.shape[0] - height)
    box = Box(left, top, width, height)
    return Pixels(pixels[box.slices].astype(np.uint16) * 257)


def beside(before: SampleArray, after: SampleArray) -> bytes:
    """Two pictures of one size side by side with a white gap, as lossless WebP."""
    gap = np.full((before.shape[0], GAP, 3), 65535, np.uint16)
    both = to_eight_bits(np.concatenate([before, gap, after], axis=1))
    out = io.BytesIO()
    PIL.Image.fromarray(both).save(out, "WEBP", lossless=True)
    return out.getvalue()
