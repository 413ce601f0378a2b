"""libvips pictures: depth, transparency and size changed without mixing up their number ranges."""

import pyvips

from enamel.core.geometry import Size
from enamel.core.imaging.canvas import WHITE

PEAKS = {"uchar": 255, "ushort": WHITE}
"""The number that stands for white and for opaque, by sample format."""


def eight_bits(image: pyvips.Image) -> pyvips.Image:
    """Return 16-bit samples as 8-bit, each rounded to the nearest value."""
    kind = "srgb" if image.bands >= 3 else "b-w"
    return (image / 257).rint().cast("uchar").copy(interpretation=kind)


def flattened(image: pyvips.Image) -> pyvips.Image:
    """Return the picture laid on white where it has alpha, in the same sample format."""
    if not image.hasalpha():
        return image
    peak = PEAKS[image.format]
    flat = image.flatten(background=[peak] * (image.bands - 1), max_alpha=peak)
    return flat.rint().cast(image.format).copy(interpretation=image.interpretation)


def reduced(image: pyvips.Image, size: Size) -> pyvips.Image:
    """Return the picture at a smaller size in the same sample format, by Lanczos.

    Colour is weighted by alpha, so that transparent pixels don't darken the edge of what is seen
    (Porter and Duff, "Compositing digital images", 1984).
    """
    peak = PEAKS[image.format]
    whole = image.premultiply(max_alpha=peak) if image.hasalpha() else image
    small = whole.resize(size.width / image.width, vscale=size.height / image.height)
    small = small.unpremultiply(max_alpha=peak) if image.hasalpha() else small
    return small.rint().cast(image.format).copy(interpretation=image.interpretation)


def reduced_to(image: pyvips.Image, longest: int) -> pyvips.Image:
    """Return the picture with its longer side at most ``longest`` px; unchanged where it is."""
    size = Size(image.width, image.height)
    if max(size) <= longest:
        return image
    return reduced(image, size.scaled(longest / max(size)))
