"""Test pictures, reduced, and refined by the engine."""

import io
import tempfile
from pathlib import Path

import numpy as np
import PIL.Image

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels, SampleArray
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.firing import fire
from enamel.core.schedule import Coat, Refine, Schedule
from training.measures import to_samples

SUBJECTS = {
    "photo": Subject.PHOTO,
    "texture": Subject.TEXTURE,
    "painting": Subject.PAINTED,
    "drawing": Subject.DRAWING,
}
"""The subject of each folder of test pictures."""
SIDE = 480
SMALLEST = 256


def squares(folder: Path, count: int, side: int = SIDE) -> list[np.ndarray]:
    """Middle squares of the folder's pictures, arrays or files, at most ``count`` of each subfolder."""
    found = []
    for group in [folder, *sorted(path for path in folder.iterdir() if path.is_dir())]:
        paths = [path for path in sorted(group.iterdir()) if path.is_file()]
        usable = [path for path in paths if shorter_side(path) >= SMALLEST]
        evenly = usable[:: max(1, len(usable) // count)]
        pictures = (read_pixels(path) for path in evenly[:count])
        found += [crop_middle(pixels, side) for pixels in pictures if pixels is not None]
    return found


def shorter_side(path: Path) -> int:
    """In px, from the file's head; 0 when it is no picture."""
    if path.suffix == ".npy":
        return min(np.load(path, mmap_mode="r").shape[:2])
    try:
        with PIL.Image.open(path) as image:
            return min(image.size)
    except OSError:
        return 0


def read_pixels(path: Path) -> "np.ndarray | None":
    """A picture's pixels, (height, width, 3) uint8; None when the file is none."""
    if path.suffix == ".npy":
        return np.load(path, mmap_mode="r")
    try:
        return np.asarray(PIL.Image.open(path).convert("RGB"))
    except OSError:
        return None


def crop_middle(pixels: np.ndarray, side: int = SIDE) -> np.ndarray:
    side = min(side, *pixels.shape[:2]) // 8 * 8
    top, left = ((length - side) // 2 for length in pixels.shape[:2])
    return np.array(pixels[top : top + side, left : left + side])


def reduce_picture(sharp: np.ndarray, factor: int, quality: int | None = None) -> Pixels:
    """Reduce a sharp picture by antialiased bicubic, and compress it as JPEG if asked."""
    image = PIL.Image.fromarray(sharp)
    image = image.resize(
        (image.width // factor, image.height // factor), PIL.Image.Resampling.BICUBIC
    )
    if quality is not None:
        buffer = io.BytesIO()
        image.save(buffer, "JPEG", quality=quality)
        image = PIL.Image.open(buffer).convert("RGB")
    return Pixels(to_samples(np.asarray(image)))


def size_of(pixels: np.ndarray) -> Size:
    return Size(pixels.shape[1], pixels.shape[0])


def refine(source: Pixels, size: Size, name: str, settings: Refine) -> SampleArray:
    """Fire one coat on the source, and return its samples."""
    coat = Coat(size=size, upscaler=name, refine=settings)
    with tempfile.TemporaryDirectory() as folder:
        result = fire(source, Schedule((coat,)), Path(folder)).result
        return np.array(result.read(Box.whole(size)))
