"""Trained upscalers in ONNX files: a fixed factor, any window, any size.

A model runs up to its own factor, again if that is not enough, and the result is resampled down by
Lanczos to the exact size: so sizes never depend on what a network likes. It sees square cells of the
source with a margin of its receptive radius; cells lie on a grid of the source's own, so what a pixel
becomes does not depend on the window that was asked for.
"""

from collections import OrderedDict
from functools import cached_property, lru_cache
from threading import Lock
from typing import Any

import numpy as np

from enamel.core.geometry import Box, Size, cells
from enamel.core.imaging.canvas import WHITE, Picture, SampleArray, mirrored_index
from enamel.core.networks.cards import Card, card
from enamel.core.timing import median_seconds
from enamel.core.upscaling.enlarge import Resampled
from enamel.core.upscaling.resample import reach

CELL = 96
"""Side of the cells in px of the small picture."""
PLAIN: dict[str, Any] = {
    "input": "small", "output": "large", "layout": "NCHW", "range": 1, "grid": 1, "fixed": None,
}  # fmt: skip
"""Defaults for cards: the shipped models."""
KEPT_BYTES = 160 * 2**20
"""Number of finished cells in memory, for windows that share them."""


class OnnxUpscaler:
    """An upscaler in an ONNX file, run as the ``upscaler`` part of its card says.

    ``input`` and ``output`` name the tensors, ``layout`` is NCHW or NHWC, ``range`` what white is,
    ``grid`` what sides have to be multiples of, ``fixed`` the only height and width it takes, if any,
    ``radius`` how far it looks in px of the small picture.
    """

    def __init__(self, entry: Card) -> None:
        self.name = entry.name
        self.factor: int | None = entry.factor
        self.digest = entry.digest
        self.contract = PLAIN | entry.facts["upscaler"]
        self.radius = int(self.contract["radius"])
        self._run = entry.running()

    def passes(self, size_in: Size, size_out: Size) -> list[Size]:
        """Return sizes after each run of the model: until the size wanted is reached or passed."""
        assert self.factor is not None
        sizes: list[Size] = []
        size = size_in
        while size.width < size_out.width or size.height < size_out.height:
            size = Size(size.width * self.factor, size.height * self.factor)
            sizes.append(size)
        return sizes

    def reach(self, size_in: Size, size_out: Size, box: Box) -> Box:
        """Return the part of the input that a box of the output is computed from."""
        assert self.factor is not None
        sizes = [size_in, *self.passes(size_in, size_out)]
        if sizes[-1] != size_out:
            box = reach("lanczos", sizes[-1], size_out, box)
        for size in reversed(sizes[:-1]):
            small = Box.between(
                box.x // self.factor,
                box.y // self.factor,
                -(-box.right // self.factor),
                -(-box.bottom // self.factor),
            )
            box = small.snapped_out(self.cell).grown(self.radius).intersection(Box.whole(size))
        return box

    @cached_property
    def rate(self) -> float:
        """Return megapixels of its result per second on this machine: one cell with its margin, median of
        three.
        """
        assert self.factor is not None
        side = self.cell + 2 * self.radius
        samples = np.zeros((side, side, 3), np.uint16)
        made = (self.cell * self.factor) ** 2 / 1e6
        return made / median_seconds(lambda: self.run(samples))

    def work(self, size_in: Size, size_out: Size) -> dict[str, float]:
        passes = self.passes(size_in, size_out)
        if not passes:
            return {"lanczos": size_out.megapixels}
        return {self.name: sum(size.megapixels for size in passes)}

    def enlarged(self, source: Picture, size: Size) -> Picture:
        picture: Picture = source
        for _ in self.passes(source.size, size):
            picture = Grown(picture, self)
        return Resampled(picture, size, "lanczos")

    def run(self, samples: SampleArray) -> SampleArray:
        """Run the model on an array of samples of any size: padding is added and cut off here."""
        assert self.factor is not None
        height, width, _ = samples.shape
        rows, columns = self._sides(height, width)
        if (rows, columns) != (height, width):
            down, across = mirrored_index(0, rows, height), mirrored_index(0, columns, width)
            samples = samples[np.ix_(down, across)]
        white = np.float32(self.contract["range"])
        small = samples.astype(np.float32) * (white / np.float32(WHITE))
        planes = self.contract["layout"] == "NCHW"
        given = small.transpose(2, 0, 1)[None] if planes else small[None]
        made = self._run({self.contract["input"]: np.ascontiguousarray(given)})
        large = made[0].transpose(1, 2, 0) if planes else made[0]
        large = large[: height * self.factor, : width * self.factor]
        scaled = np.clip(np.rint(large * (np.float32(WHITE) / white)), 0, WHITE)
        return np.ascontiguousarray(scaled).astype(np.uint16)

    def _sides(self, height: int, width: int) -> tuple[int, int]:
        if self.contract["fixed"]:
            rows, columns = self.contract["fixed"]
            return int(rows), int(columns)
        grid = int(self.contract["grid"])
        return -(-height // grid) * grid, -(-width // grid) * grid

    @property
    def cell(self) -> int:
        """Side of the cells it is run on: with the margin at most the model's fixed size."""
        if self.contract["fixed"]:
            return max(1, min(self.contract["fixed"]) - 2 * self.radius)
        return CELL


class Grown:
    """A picture after one run of a model, computed cell by cell on reading."""

    channels = 3

    def __init__(self, picture: Picture, model: OnnxUpscaler) -> None:
        assert model.factor is not None
        self.picture = picture
        self.model = model
        self.factor = model.factor
        self.size = Size(picture.size.width * self.factor, picture.size.height * self.factor)
        self._cells: OrderedDict[tuple[int, int], SampleArray] = OrderedDict()
        self._lock = Lock()

    def read(self, box: Box) -> SampleArray:
        side = self.model.cell * self.factor
        out = np.empty((box.height, box.width, 3), np.uint16)
        for part in cells(box, side, side):
            corner = part.x // side * side, part.y // side * side
            inside = Box(part.x - corner[0], part.y - corner[1], part.width, part.height)
            out[part.relative_to(box).slices] = self._cell(*corner)[inside.slices]
        return out

    def _cell(self, x: int, y: int) -> SampleArray:
        """Return the finished cell whose corner in the large picture is x, y."""
        with self._lock:
            return self._kept(x, y)

    def _kept(self, x: int, y: int) -> SampleArray:
        if (x, y) not in self._cells:
            whole = Box.whole(self.picture.size)
            side = self.model.cell
            cell = Box(x // self.factor, y // self.factor, side, side).intersection(whole)
            seen = cell.grown(self.model.radius).intersection(whole)
            large = self.model.run(self.picture.read(seen))
            inner = cell.relative_to(seen)
            f = self.factor
            wanted = Box(inner.x * f, inner.y * f, inner.width * f, inner.height * f)
            self._cells[x, y] = large[wanted.slices]
            if len(self._cells) > KEPT_BYTES // ((side * f) ** 2 * 3 * 2):
                self._cells.popitem(last=False)
        self._cells.move_to_end((x, y))
        return self._cells[x, y]


def trained(name: str) -> OnnxUpscaler:
    """Return the trained upscaler of that name; a `Refusal` when there is none."""
    return _loaded(name, card(name, "upscaler").digest)


@lru_cache(maxsize=8)
def _loaded(name: str, digest: str) -> OnnxUpscaler:
    return OnnxUpscaler(card(name, "upscaler"))
