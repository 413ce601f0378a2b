"""Place a picture on its print: cropped to the file, or extended from its edges."""

from dataclasses import dataclass, replace

import pyvips

from enamel.core.errors import Refusal
from enamel.core.export.output import UNPRINTED, PrintSettings
from enamel.core.geometry import Size
from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.printing.layout import Edge, Layout, PrintPlan, native

BLURRED_FRACTION = 0.01
"""Blur of an extended edge, as a fraction of the picture's shorter side."""


@dataclass(frozen=True, slots=True)
class PlacedPicture:
    """A layout with its print, which says how the picture is extended."""

    layout: Layout
    plan: PrintPlan = PrintPlan()

    def on(self, picture: PixelBuffer) -> PixelBuffer:
        """Return a 16-bit picture of the layout's size, cropped or extended to the file."""
        layout = self.layout
        if picture.size != layout.picture:
            raise Refusal(
                f"The layout is for a picture of {layout.picture}, this one has {picture.size}."
            )
        if layout.crops:
            picture = picture.cropped(layout.shown)
        if not layout.extends:
            return picture
        return replace(picture, image=self._extended(picture))

    def _extended(self, picture: PixelBuffer) -> pyvips.Image:
        layout, image = self.layout, picture.image
        place = (layout.left, layout.top, layout.file.width, layout.file.height)
        edge = self.plan.edge
        if edge is Edge.SOLID:
            ground = [257 * value for value in self.plan.rgb] + [65535] * (image.bands - 3)
            return image.embed(*place, extend="background", background=ground)
        wider = image.embed(*place, extend="copy" if edge is Edge.STRETCH else "mirror")
        if edge is not Edge.BLUR:
            return wider
        blurred = wider.gaussblur(max(1.0, BLURRED_FRACTION * min(layout.picture)))
        return picture.with_range(blurred).insert(image, layout.left, layout.top)


def laid(settings: PrintSettings, size: Size) -> tuple[PlacedPicture | None, float, Size]:
    """Return a layer's placement in its print file, the file's resolution, and its size.

    On a print the resolution follows from the layer's pixels; a reduced screen copy has correspondingly
    less. Kinds for work in other programs contain the whole picture, whatever the print.
    """
    placed, ppi = None, settings.ppi
    if settings.plan is not None:
        layout, ppi = native(size, settings.plan)
        if settings.laid_on is not None:
            placed, size = PlacedPicture(layout, settings.plan), layout.file
    output = settings.output
    longest = 0 if output.file in UNPRINTED else output.longest
    if longest and max(size) > longest:
        scale = longest / max(size)
        return placed, ppi * scale, size.scaled(scale)
    return placed, ppi, size
