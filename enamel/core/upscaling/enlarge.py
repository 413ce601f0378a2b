"""Enlarge pictures to an exact size, any window at a time."""

from collections import Counter
from typing import Protocol

import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, SampleArray
from enamel.core.imaging.transparency import REACH, Continued
from enamel.core.upscaling.resample import reach, resample


class Upscaler(Protocol):
    """A way to enlarge. A window of an enlarged picture must have the samples of that part of it."""

    name: str
    factor: int | None
    """Native factor of a trained model; None for interpolation, which takes any."""

    @property
    def digest(self) -> str:
        """Hash that identifies its exact pixels: for a model, that of its file."""
        ...

    def reach(self, size_in: Size, size_out: Size, box: Box) -> Box: ...
    def work(self, size_in: Size, size_out: Size) -> dict[str, float]:
        """Return the megapixels that are computed, by upscaler."""
        ...

    def enlarged(self, source: Picture, size: Size) -> Picture:
        """Return the source at another size, computed on reading."""
        ...


class Resampled:
    """A picture at another size by interpolation, computed on reading."""

    def __init__(self, source: Picture, size: Size, name: str) -> None:
        self.source = source
        self.size = size
        self.channels = source.channels
        self.name = name

    def read(self, box: Box) -> SampleArray:
        return resample(self.source, self.size, box, self.name)


class Interpolation:
    """Nearest, bicubic or Lanczos: fast, adds nothing."""

    factor: int | None = None

    def __init__(self, name: str) -> None:
        self.name = name

    @property
    def digest(self) -> str:
        return self.name

    def reach(self, size_in: Size, size_out: Size, box: Box) -> Box:
        return reach(self.name, size_in, size_out, box)

    def work(self, size_in: Size, size_out: Size) -> dict[str, float]:
        return {self.name: size_out.megapixels}

    def enlarged(self, source: Picture, size: Size) -> Picture:
        return Resampled(source, size, self.name)


class Mixed:
    """A mixture of two pictures of the same size and channels: ``weight`` of the first, the rest of the
    second.
    """

    def __init__(self, first: Picture, second: Picture, weight: float) -> None:
        self.size = first.size
        self.channels = first.channels
        self.first = first
        self.second = second
        self.weight = np.float32(weight)

    def read(self, box: Box) -> SampleArray:
        second = self.second.read(box)
        mix = second + (self.first.read(box).astype(np.float32) - second) * self.weight
        return np.rint(mix).astype(np.uint16)


def mixed(first: Picture, second: Picture, weight: float) -> Picture:
    """Return a mixture of two pictures; at weight 0 or 1 just the one."""
    if weight == 1:
        return first
    return second if weight == 0 else Mixed(first, second, weight)


class Mixture:
    """Two upscalers whose results are mixed by weight."""

    factor: int | None = None

    def __init__(self, first: Upscaler, second: Upscaler, weight: float) -> None:
        self.first = first
        self.second = second
        self.weight = weight
        self.name = f"{first.name} and {second.name}"

    @property
    def digest(self) -> str:
        return f"{self.first.digest} and {self.second.digest} at {self.weight!r}"

    def reach(self, size_in: Size, size_out: Size, box: Box) -> Box:
        one = self.first.reach(size_in, size_out, box)
        return one.around(self.second.reach(size_in, size_out, box))

    def work(self, size_in: Size, size_out: Size) -> dict[str, float]:
        parts = (self.first, self.second)
        return dict(sum((Counter(part.work(size_in, size_out)) for part in parts), Counter()))

    def enlarged(self, source: Picture, size: Size) -> Picture:
        return mixed(
            self.first.enlarged(source, size), self.second.enlarged(source, size), 1 - self.weight
        )


class Enlarged:
    """A picture at another size, computed on reading. Alpha is always enlarged by Lanczos. Colour is
    first continued under transparent places, so that soft edges don't take on the hidden colour.
    """

    def __init__(self, source: Picture, size: Size, upscaler: Upscaler) -> None:
        self.source = source
        self.size = size
        self.channels = source.channels
        self.upscaler = upscaler
        colour, self._alpha = source, None
        if source.channels > 3:
            colour = Continued(source)
            self._alpha = Resampled(Channels(source, slice(3, 4)), size, "lanczos")
        self._colour = upscaler.enlarged(colour, size)

    def read(self, box: Box) -> SampleArray:
        colour = self._colour.read(box)
        if self._alpha is None:
            return colour
        return np.concatenate([colour, self._alpha.read(box)], axis=2)


def reach_of(upscaler: Upscaler, size_in: Size, size_out: Size, box: Box) -> Box:
    """Return the part of a picture, of any channels, that a box of it enlarged is computed from."""
    colour = upscaler.reach(size_in, size_out, box).grown(REACH).intersection(Box.whole(size_in))
    return colour.around(reach("lanczos", size_in, size_out, box))


class Channels:
    """Some channels of a picture, as a picture."""

    def __init__(self, picture: Picture, chosen: slice) -> None:
        self.picture = picture
        self.size = picture.size
        self.chosen = chosen
        self.channels = len(range(picture.channels)[chosen])

    def read(self, box: Box) -> SampleArray:
        return self.picture.read(box)[..., self.chosen]
