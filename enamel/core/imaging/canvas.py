"""The working form of pictures: 16-bit sRGB on disk, float32 in flight.

A canvas is a plain ``.npy`` file of rows × columns × channels. It is read and written by position
(``pread``/``pwrite``) and not mapped: mapped pages count as the process's memory, and memory has to
follow the tile, not the picture. What one process wrote, another reads; a killed process leaves
what it had written.
"""

import hashlib
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size, blocks

FloatArray = NDArray[np.float32]
SampleArray = NDArray[np.uint16]

WHITE = 65535
HALF = WHITE / 2
BAND_BYTES = 32 * 2**20
FILLERS = 4
"""Most blocks computed at once, so that memory does not grow with the machine."""


class Picture(Protocol):
    """Anything whose pixels can be read box by box. Samples are 16-bit sRGB, with alpha as the fourth
    channel.
    """

    @property
    def size(self) -> Size: ...
    @property
    def channels(self) -> int: ...
    def read(self, box: Box) -> SampleArray: ...


class Writable(Protocol):
    """Anything that is written box by box."""

    region: Box

    def write(self, box: Box, samples: Any, /) -> None: ...


W = TypeVar("W", bound=Writable)


def to_signed(samples: SampleArray) -> FloatArray:
    """16-bit samples as float32 in −1…1, the scale networks work in. Exactly undone by `to_samples`."""
    signed = samples.astype(np.float32)
    signed *= np.float32(1 / HALF)
    signed -= np.float32(1)
    return signed


def to_samples(signed: FloatArray) -> SampleArray:
    """float32 in −1…1 as 16-bit samples, rounded half to even, clipped at black and white."""
    scaled = (signed + np.float32(1)) * np.float32(HALF)
    return np.clip(np.rint(scaled), 0, WHITE).astype(np.uint16)


def to_eight_bits(samples: SampleArray) -> NDArray[np.uint8]:
    """Return the colour of 16-bit samples as 8-bit, each rounded to the nearest value."""
    return np.rint(samples[..., :3] / np.float32(257)).astype(np.uint8)


class Pixels:
    """A picture, or a part of one, in memory.

    Parameters
    ----------
    samples : (height, width, 3 or 4) uint16.
    origin : top left corner of the samples in the picture; the whole picture when left out.
    size : size of the picture in px, when the samples are only a part of it.
    """

    def __init__(
        self, samples: SampleArray, origin: tuple[int, int] = (0, 0), size: Size | None = None
    ) -> None:
        height, width, self.channels = samples.shape
        self.samples = samples
        self.region = Box(*origin, width, height)
        self.size = size or Size(width, height)

    def read(self, box: Box) -> SampleArray:
        if not self.region.contains(box):
            raise IndexError(f"{box} lies outside the known {self.region}")
        return self.samples[box.relative_to(self.region).slices]


class Canvas:
    """Samples in a file, covering ``region`` of a picture of ``size``; read and written box by box."""

    def __init__(
        self, path: Path, origin: tuple[int, int] = (0, 0), size: Size | None = None
    ) -> None:
        self.path = path
        with path.open("rb") as file:
            npy.read_magic(file)
            shape, fortran, self.dtype = npy.read_array_header_1_0(file)
            self._offset = file.tell()
        if fortran or len(shape) != 3:
            raise ValueError(f"{path} is not a canvas: its array is {shape}")
        height, width, self.channels = shape
        self.region = Box(*origin, width, height)
        self.size = size or Size(width, height)
        self._descriptor = os.open(path, os.O_RDWR)

    @classmethod
    def create(
        cls,
        path: Path,
        region: Box,
        channels: int,
        dtype: Any = np.uint16,
        size: Size | None = None,
    ) -> "Canvas":
        """Make the file, all zero and sparse, and open it."""
        path.parent.mkdir(parents=True, exist_ok=True)
        header = {
            "descr": npy.dtype_to_descr(np.dtype(dtype)),
            "fortran_order": False,
            "shape": (region.height, region.width, channels),
        }
        with path.open("wb") as file:
            npy.write_array_header_1_0(file, header)
            file.truncate(file.tell() + region.area * channels * np.dtype(dtype).itemsize)
        return cls(path, (region.x, region.y), size)

    @property
    def data_offset(self) -> int:
        """Offset of the samples in the file, in bytes."""
        return self._offset

    def read(self, box: Box) -> NDArray[Any]:
        """(box height, box width, channels) samples; the box must lie inside the region."""
        out = np.empty((box.height, box.width, self.channels), self.dtype)
        for row, position in self._rows(box, out):
            done = os.preadv(self._descriptor, [row.data], position)
            if done != row.nbytes:
                raise OSError(f"{self.path} is shorter than its header says")
        return out

    def write(self, box: Box, samples: NDArray[Any]) -> None:
        """Put samples into the box. Other boxes may be written at the same time."""
        rows = np.ascontiguousarray(samples, self.dtype)
        if rows.shape != (box.height, box.width, self.channels):
            raise ValueError(f"{rows.shape} samples do not fit {box}")
        for row, position in self._rows(box, rows):
            view = row.data.cast("B")
            while len(view):
                written = os.pwrite(self._descriptor, view, position)
                view, position = view[written:], position + written

    def _rows(self, box: Box, samples: NDArray[Any]) -> Iterator[tuple[NDArray[Any], int]]:
        if not self.region.contains(box):
            raise IndexError(f"{box} lies outside the canvas, {self.region}")
        inside = box.relative_to(self.region)
        pixel = self.channels * self.dtype.itemsize
        stride = self.region.width * pixel
        start = self._offset + inside.y * stride + inside.x * pixel
        if inside.width == self.region.width:
            yield samples, start
        else:
            for number, row in enumerate(samples):
                yield row, start + number * stride

    def settle(self) -> None:
        """Wait until what was written is on the disk."""
        os.fdatasync(self._descriptor)

    def bands(self) -> list[Box]:
        """Full-width boxes from top to bottom, each of at most some 32 MB."""
        row_bytes = self.region.width * self.channels * self.dtype.itemsize
        return blocks(self.region, self.region.width, max(1, BAND_BYTES // row_bytes))

    def digest(self) -> str:
        """sha256 of shape, type and samples: equal digests, equal pixels."""
        return digest_of(self, self.dtype)

    def close(self) -> None:
        if self._descriptor >= 0:
            os.close(self._descriptor)
            self._descriptor = -1

    def __enter__(self) -> "Canvas":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def __del__(self) -> None:
        if hasattr(self, "_descriptor"):
            self.close()


def digest_of(picture: Picture, dtype: Any = np.uint16) -> str:
    """sha256 of a whole picture's shape, type and samples, read in bands."""
    size, channels = picture.size, picture.channels
    total = hashlib.sha256(f"{size.width} {size.height} {channels} {np.dtype(dtype).str}".encode())
    height = max(1, BAND_BYTES // (size.width * channels * np.dtype(dtype).itemsize))
    for band in blocks(Box.whole(size), size.width, height):
        total.update(np.ascontiguousarray(picture.read(band)).data)
    return total.hexdigest()


def filled(canvas: W, block_of: Callable[[Box], Any], side: int) -> W:
    """Fill a canvas block by block with a function's results, a few blocks at a time, and return it."""

    def fill(block: Box) -> None:
        canvas.write(block, block_of(block))

    with ThreadPoolExecutor(min(os.cpu_count() or 1, FILLERS)) as threads:
        for _ in threads.map(fill, blocks(canvas.region, side, side)):
            pass
    return canvas


class Cropped:
    """A part of a picture as a separate picture."""

    def __init__(self, picture: Picture, box: Box) -> None:
        self.picture = picture
        self.box = box
        self.size = box.size
        self.channels = picture.channels

    def read(self, box: Box) -> SampleArray:
        return self.picture.read(Box(self.box.x + box.x, self.box.y + box.y, *box.size))


class Mirrored:
    """A picture continued to the right and below by its mirror image, up to ``size``.

    Networks need sides that are multiples of 8. The padding is made here and cut off after the network,
    so that sizes that people see are never rounded.
    """

    def __init__(self, picture: Picture, size: Size) -> None:
        self.picture = picture
        self.size = size
        self.channels = picture.channels

    def read(self, box: Box) -> SampleArray:
        whole = Box.whole(self.picture.size)
        if whole.contains(box):
            return self.picture.read(box)
        columns = mirrored_index(box.x, box.right, whole.width)
        rows = mirrored_index(box.y, box.bottom, whole.height)
        known = Box.between(
            int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1
        )
        samples = self.picture.read(known)
        return samples[np.ix_(rows - known.y, columns - known.x)]


def mirrored_index(start: int, stop: int, length: int) -> NDArray[np.intp]:
    """Positions start…stop−1 folded back into 0…length−1 at the ends, edge sample repeated."""
    folded = np.arange(start, stop) % (2 * length)
    return np.minimum(folded, 2 * length - 1 - folded)
