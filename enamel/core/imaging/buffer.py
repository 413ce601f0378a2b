"""Pixels to be written into a file, with depth, colour space and alpha."""

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
import pyvips

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, Canvas, SampleArray


class ColourSpace(StrEnum):
    """Colour spaces of pixels."""

    RGB = "RGB"
    CMYK = "CMYK"
    GREY = "grey"

    @property
    def bands(self) -> int:
        """Number of bands without alpha."""
        return {ColourSpace.RGB: 3, ColourSpace.CMYK: 4, ColourSpace.GREY: 1}[self]


FORMATS = {8: "uchar", 16: "ushort"}
PEAKS = {8: 255, 16: WHITE}
"""The value of white and of full opacity, by bits."""
INTERPRETATIONS = {
    (ColourSpace.RGB, 8): "srgb",
    (ColourSpace.RGB, 16): "rgb16",
    (ColourSpace.CMYK, 8): "cmyk",
    (ColourSpace.CMYK, 16): "cmyk",
    (ColourSpace.GREY, 8): "b-w",
    (ColourSpace.GREY, 16): "grey16",
}


@dataclass(frozen=True, slots=True)
class PixelBuffer:
    """A libvips picture, read as it is needed, whose depth, colour space and alpha are known.

    Its constructor refuses an image whose format differs: libvips changes the range of samples in many
    operations, and a plain cast would make a picture black.

    Parameters
    ----------
    image : samples of the format and number of bands that the rest says.
    space : sRGB, or the numbers of a profile.
    bits : 8 or 16 a sample.
    alpha : whether a last band says how opaque each pixel is; colour is not multiplied by it.
    """

    image: pyvips.Image
    space: ColourSpace = ColourSpace.RGB
    bits: int = 16
    alpha: bool = False

    def __post_init__(self) -> None:
        bands = self.space.bands + self.alpha
        kind = self.interpretation
        found = (self.image.format, self.image.bands, self.image.interpretation)
        if found != (FORMATS[self.bits], bands, kind):
            raise ValueError(
                f"pixels of {self.bits} bits in {self.space} are {FORMATS[self.bits]}, {bands} bands, "
                f"{kind}; these are {', '.join(str(one) for one in found)}"
            )

    @classmethod
    def of_canvas(cls, canvas: Canvas) -> "PixelBuffer":
        """Return a canvas, read from its file on demand. libvips' own cache would ignore that a file of
        the same name has changed.
        """
        size = canvas.region.size
        image = pyvips.Image.rawload(
            str(canvas.path), size.width, size.height, canvas.channels, offset=canvas.data_offset,
            format="ushort", interpretation="rgb16", revalidate=True,
        )  # fmt: skip
        return cls(image, alpha=canvas.channels == 4)

    @classmethod
    def of_samples(cls, samples: SampleArray) -> "PixelBuffer":
        """Return samples, (height, width, 3 or 4) of 16-bit sRGB."""
        whole = np.ascontiguousarray(samples)
        image = pyvips.Image.new_from_array(whole, interpretation="rgb16")
        return cls(image, alpha=samples.shape[2] == 4)

    @property
    def interpretation(self) -> str:
        """libvips' interpretation of such pixels."""
        return INTERPRETATIONS[self.space, self.bits]

    @property
    def size(self) -> Size:
        return Size(self.image.width, self.image.height)

    @property
    def peak(self) -> int:
        """The value of white and of full opacity."""
        return PEAKS[self.bits]

    def eight_bits(self) -> "PixelBuffer":
        """Return samples of 8 bits, each rounded to the nearest value."""
        if self.bits == 8:
            return self
        kind = INTERPRETATIONS[self.space, 8]
        image = (self.image / 257).rint().cast("uchar").copy(interpretation=kind)
        return replace(self, image=image, bits=8)

    def flattened(self) -> "PixelBuffer":
        """Return the picture laid on white where it has alpha."""
        if not self.alpha:
            return self
        background = [self.peak] * self.space.bands
        flat = self.image.flatten(background=background, max_alpha=self.peak)
        return replace(self, image=self.with_range(flat), alpha=False)

    def without_alpha(self) -> "PixelBuffer":
        """Return the colour without alpha, unchanged under transparency."""
        if not self.alpha:
            return self
        return replace(self, image=self.image[: self.space.bands], alpha=False)

    def with_range(self, image: pyvips.Image) -> pyvips.Image:
        """Return an image with values of this range as samples."""
        return image.rint().cast(FORMATS[self.bits]).copy(interpretation=self.interpretation)

    def cropped(self, box: Box) -> "PixelBuffer":
        return replace(self, image=self.image.crop(box.x, box.y, box.width, box.height))

    def resized(self, size: Size) -> "PixelBuffer":
        """Return the picture at a smaller size, by Lanczos.

        Colour is weighted by alpha, so that transparent pixels don't darken the edge of what is seen
        (Porter and Duff, "Compositing digital images", 1984).
        """
        whole = self.image.premultiply(max_alpha=self.peak) if self.alpha else self.image
        across, down = size.width / self.size.width, size.height / self.size.height
        small = whole.resize(across, vscale=down)
        small = small.unpremultiply(max_alpha=self.peak) if self.alpha else small
        return replace(self, image=self.with_range(small))

    def at_most(self, longest: int) -> "PixelBuffer":
        """Return the picture with its longer side at most ``longest`` px; unchanged where it is."""
        if max(self.size) <= longest:
            return self
        return self.resized(self.size.scaled(longest / max(self.size)))
