"""Draws the Kestrel Vale pictures and makes small 'generated' bases of them.

`python -m demo.draw [NAME …]` writes ``demo/pictures/NAME.truth.jpg`` and the base beside it. The
truths are what the tests measure against; the bases look like small generated pictures, with their
usual faults.
"""

import argparse
import importlib
import io
import time
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import PIL.Image
import PIL.PngImagePlugin

from demo.paint import develop

PICTURES = Path(__file__).parent / "pictures"


@dataclass(frozen=True)
class Base:
    """How a truth becomes a base: its size, and what a generator would have left in it."""

    scene: str
    size: tuple[int, int]
    softness: float
    quality: int | None
    """JPEG quality; None for PNG."""
    prompt: str
    seed: int


BASES = {
    "stationmaster": Base(
        "portrait", (768, 1024), 0.5, None,
        "portrait of an elderly stationmaster in a navy cap with brass badge, grey moustache, "
        "brick wall, warm morning light", 41207,
    ),
    "night-mail": Base(
        "viaduct", (960, 540), 0.45, None,
        "night mail train crossing a stone viaduct, moonlight, steam, lit carriage windows, river",
        7718,
    ),
    "platform": Base(
        "platform", (1024, 768), 0.55, None,
        "crowded country railway platform, a dozen travellers, canopy, red carriage, summer", 90311,
    ),
    "emblem": Base(
        "emblem", (640, 640), 0.6, None,
        "flat line art locomotive emblem, round enamel sign, cobalt and cream, lettering", 118,
    ),
    "tea-car": Base(
        "teacar", (1008, 672), 0.5, 88,
        "still life in a dining car, copper teapot, enamel mugs, apples, linen cloth, oak", 5521,
    ),
    "signal-lamp": Base(
        "lamp", (384, 512), 0.7, 38,
        "old railway signal lamp, red lens, iron bracket, brick", 302,
    ),
}  # fmt: skip


def degrade(truth: np.ndarray, base: Base) -> np.ndarray:
    """A small, slightly soft copy with a trace of a generator's colour noise."""
    size = base.size
    scale = size[0] / truth.shape[1]
    soft = cv2.GaussianBlur(truth, (0, 0), base.softness / scale)
    small = cv2.resize(soft, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    rng = np.random.default_rng(base.seed)
    blotch = cv2.GaussianBlur(rng.normal(0, 1, small.shape).astype(np.float32), (0, 0), 2.2)
    return np.clip(small + blotch * 5, 0, 255).round().astype(np.uint8)


def words(base: Base) -> str:
    """What the generator would have written into the file."""
    return (
        f"prompt: {base.prompt}\nnegative prompt: blurry, extra limbs\nseed: {base.seed}\n"
        f"steps: 24\nmodel: kestrel-draw 1\nsize: {base.size[0]}x{base.size[1]}"
    )


def save(name: str, base: Base, truth: np.ndarray) -> None:
    PICTURES.mkdir(exist_ok=True)
    PIL.Image.fromarray(truth).save(PICTURES / f"{name}.truth.jpg", quality=90, subsampling=0)
    small = PIL.Image.fromarray(degrade(truth, base))
    if base.quality is None:
        text = PIL.PngImagePlugin.PngInfo()
        text.add_text("generation", words(base))
        small.save(PICTURES / f"{name}.png", pnginfo=text, optimize=True)
    else:
        exif = small.getexif()
        exif[0x010E] = words(base)
        buffer = io.BytesIO()
        small.save(buffer, "JPEG", quality=base.quality, exif=exif)
        (PICTURES / f"{name}.jpg").write_bytes(buffer.getvalue())


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", choices=[*BASES, []], default=[])
    for name in parser.parse_args().names or BASES:
        began = time.perf_counter()
        base = BASES[name]
        picture, tone = importlib.import_module(f"demo.scenes.{base.scene}").draw()
        truth = picture if picture.dtype == np.uint8 else develop(picture, **tone)
        save(name, base, truth)
        print(f"{name}: {truth.shape[1]} × {truth.shape[0]}, {time.perf_counter() - began:.0f} s")


if __name__ == "__main__":
    main()
