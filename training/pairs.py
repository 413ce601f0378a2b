"""Patches for training: sharp ones, degraded as generators and files degrade pictures.

A thread decodes and degrades them ahead of the training step.
"""

import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import PIL.Image

from training.materials import MATERIALS, words_of
from training.sources import CACHE

MAKERS = {"arrays": "sources", "bank": "bank"}
"""The module that fills each folder of the cache."""
REDUCERS = (
    PIL.Image.Resampling.BOX,
    PIL.Image.Resampling.BICUBIC,
    PIL.Image.Resampling.LANCZOS,
    None,
)
"""Area, and antialiased bicubic and Lanczos, as in most papers; None is a blur and plain bicubic, which
leaves aliasing as cameras and generators do."""


WAVE = 3.0
"""Standard deviation in px of the blur that makes neighbouring pixels move together."""


@dataclass(frozen=True)
class Degradation:
    """How a sharp patch becomes a small one."""

    factor: float
    blur: float = 0.0
    """Largest standard deviation of a blur before reducing, in px of the small picture."""
    noise: float = 0.0
    """Largest standard deviation of noise, in 8-bit values."""
    jpeg: tuple[int, int] | None = None
    """Range of JPEG quality, or None."""
    share: float = 1.0
    """Share of the patches that get blur, noise and compression; the rest are just reduced."""
    distortion: float = 0.0
    """Largest displacement in px of the small picture, for small faces as generators make them: eyes that do
    not match, edges that run into each other."""


def degrade(sharp: np.ndarray, degradation: Degradation, rng: np.random.Generator) -> np.ndarray:
    """The small picture of a sharp one, uint8 both."""
    height, width = (round(side / degradation.factor) for side in sharp.shape[:2])
    degraded = rng.random() < degradation.share
    picture = sharp
    if degraded and degradation.blur:
        sigma = rng.uniform(0, degradation.blur) * degradation.factor
        if sigma > 0.2:
            picture = cv2.GaussianBlur(picture, (0, 0), sigma)
    how = REDUCERS[rng.integers(len(REDUCERS))]
    if how is None:
        picture = cv2.GaussianBlur(picture, (0, 0), 0.32 * degradation.factor)
        small = cv2.resize(picture, (width, height), interpolation=cv2.INTER_CUBIC)
    else:
        small = np.asarray(PIL.Image.fromarray(picture).resize((width, height), how))
    if degraded and degradation.distortion:
        small = distort(small, rng.uniform(0, degradation.distortion), rng)
    if degraded and degradation.noise:
        level = rng.uniform(0, degradation.noise)
        small = np.clip(small + rng.normal(0, level, small.shape), 0, 255).astype(np.uint8)
    if degraded and degradation.jpeg:
        quality = int(rng.integers(degradation.jpeg[0], degradation.jpeg[1] + 1))
        _, coded = cv2.imencode(".jpg", small, [cv2.IMWRITE_JPEG_QUALITY, quality])
        again = cv2.imdecode(coded, cv2.IMREAD_COLOR)
        assert again is not None, "what was just packed is no JPEG"
        small = again
    return small


def distort(picture: np.ndarray, farthest: float, rng: np.random.Generator) -> np.ndarray:
    """Displace a picture's parts by up to ``farthest`` px, and blur it in one place."""
    height, width = picture.shape[:2]
    y, x = np.mgrid[:height, :width].astype(np.float32)
    pushed = []
    for place in (x, y):
        rough = cv2.GaussianBlur(rng.normal(size=(height, width)).astype(np.float32), (0, 0), WAVE)
        pushed.append(place + rough * (farthest / max(float(np.abs(rough).max()), 1e-6)))
    across, down = pushed
    distorted = cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    spot = np.hypot(x - rng.uniform(0, width), y - rng.uniform(0, height)) / rng.uniform(4, 12)
    share = np.clip(1.5 - spot, 0, 1)[..., None]
    smeared = cv2.GaussianBlur(distorted, (0, 0), rng.uniform(0.4, 1.4))
    return np.rint(distorted + (smeared.astype(np.float32) - distorted) * share).astype(np.uint8)


class Pictures:
    """All arrays of a split, memory-mapped.

    Arrays are (height, width, 3) uint8, or several of one picture, (several, height, width, 3).
    """

    def __init__(self, split: str, shares: dict[str, float], root: str = "arrays") -> None:
        self.paths = {kind: sorted((CACHE / root / split / kind).glob("*.npy")) for kind in shares}
        for kind, paths in self.paths.items():
            if not paths:
                raise SystemExit(
                    f"No {kind} pictures; run python -m training.{MAKERS[root]} first."
                )
        self.kinds = list(shares)
        self.weights = np.array([shares[kind] for kind in self.kinds])
        self.weights /= self.weights.sum()

        named = {
            word: [path for path in self.paths.get("texture", ()) if material.is_in(path.name)]
            for word, material in enumerate(MATERIALS)
        }
        self.named = {word: paths for word, paths in named.items() if paths}
        """Textures by the place of the material that their file names say."""

    def picture(self, rng: np.random.Generator, *, named: bool = False) -> Path:
        """A random picture's file; half of the textures by a material, so that rare ones count, and where
        ``named`` only such."""
        kind = self.kinds[rng.choice(len(self.kinds), p=self.weights)]
        paths = self.paths[kind]
        if named or (kind == "texture" and self.named and rng.random() < 0.5):
            paths = self.named[rng.choice(list(self.named))]
        return paths[rng.integers(len(paths))]

    def square(
        self, side: int, rng: np.random.Generator, *, named: bool = False
    ) -> tuple[np.ndarray, Path]:
        """A random square of a random picture, turned and mirrored at random, and its file."""
        while True:
            path = self.picture(rng, named=named)
            pixels = np.load(path, mmap_mode="r")
            height, width = pixels.shape[-3:-1]
            if min(height, width) < side:
                continue
            y, x = rng.integers(height - side + 1), rng.integers(width - side + 1)
            patch = np.array(pixels[..., y : y + side, x : x + side, :])
            if patch.std() < 3 and rng.random() < 0.8:
                continue  # most of flat sky and paper is skipped
            patch = np.rot90(patch, int(rng.integers(4)), axes=(-3, -2))
            patch = patch[..., ::-1, :] if rng.random() < 0.5 else patch
            return np.ascontiguousarray(patch), path

    def patch(
        self, side: int, rng: np.random.Generator, *, named: bool = False
    ) -> tuple[np.ndarray, np.ndarray]:
        """A random square and its words; where ``named``, of a texture that has some."""
        patch, path = self.square(side, rng, named=named)
        return patch, words_of(path.parent.name, path.name)


def batches(
    make: Callable[[np.random.Generator], tuple[np.ndarray, ...]], seed: int
) -> Iterator[Any]:
    """Batches that a thread makes ahead; its errors are raised here. The seed determines the sequence."""
    ready: queue.Queue[tuple[np.ndarray, ...] | Exception] = queue.Queue(maxsize=6)

    def work() -> None:
        rng = np.random.default_rng(seed)
        try:
            while True:
                ready.put(make(rng))
        except Exception as error:
            ready.put(error)

    threading.Thread(target=work, daemon=True).start()
    while True:
        made = ready.get()
        if isinstance(made, Exception):
            raise made
        yield made
