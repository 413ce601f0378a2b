"""Trace flat art: an SVG whose shapes follow the picture's areas of one colour.

The picture is first reduced to few colours, so that shapes are connected; `vtracer` fits the curves. The
result is rendered and compared with the picture, because a trace that looks right when small may be wrong
when large.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

import cv2
import numpy as np
import pyvips
import vtracer
from numpy.typing import NDArray

from enamel.core.errors import Refusal
from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.imaging.canvas import Canvas
from enamel.core.imaging.mapped import kept_out_of_memory
from enamel.core.printing.sizing import mm_of

LONGEST = 3000
"""Longest side that is traced, in px: in flat art more pixels give no better curves."""
FEWEST = 1500
"""Longest side that smaller pictures are first enlarged to: curves then follow the middle of their grey
edges.
"""
MOST_NODES = 400_000
"""Most bytes of a trace: with more it is not flat art, and hardly any program opens it."""
CLOSE = 8
"""Levels of 255 within which a pixel counts as the same, on the mean of its channels."""
ALIKE = 6.0
"""Difference in Lab (CIE 1976) within which two colours of the palette become one."""
FLAT, LEAST_FLAT = 12, 30.0
"""Levels between neighbours in flat places; and the least per cent of a picture that counts as flat."""
AROUND = 1.2
"""Standard deviation, in px, of the votes by which a pixel's colour is settled."""
SAMPLES = 40_000
"""Pixels that the palette is found from."""
COMMANDS = re.compile(r"[MLC]")


@dataclass(frozen=True, slots=True)
class TraceResult:
    """The result of a trace."""

    colours: int
    shapes: int
    nodes: int
    alike: float
    """Fraction of the picture's pixels that look the same when the trace is rendered."""

    @property
    def sentence(self) -> str:
        return (
            f"{self.shapes:,} shapes in {self.colours} colours with {self.nodes:,} nodes; drawn again, "
            f"{100 * self.alike:.1f} % of the picture is the same."
        )


def write_trace(
    canvas: Canvas,
    path: Path,
    *,
    ppi: float,
    colours: int = 12,
    speckle: int = 4,
    says: Mapping[str, str] | None = None,
) -> TraceResult:
    """Write a picture as curves, and return how faithful they are.

    Parameters
    ----------
    ppi : resolution of the picture; gives the drawing its size.
    colours : most colours of the drawing.
    speckle : side of the largest speck that is removed, in px of the traced picture.
    says : its title under ``dc:title``.

    Raises
    ------
    Refusal
        When so many curves are needed that the picture can't be flat art.
    """
    with kept_out_of_memory(canvas.path):
        image = PixelBuffer.of_canvas(canvas).eight_bits().flattened().image
        scale = min(LONGEST / max(canvas.size), max(1.0, FEWEST / max(canvas.size)))
        small = image.resize(scale, kernel="cubic" if scale > 1 else "lanczos3")
        pixels = small.numpy()
    flat, count = posterised(pixels, colours)
    height, width = flat.shape[:2]
    packed = pyvips.Image.new_from_array(flat, interpretation="srgb").pngsave_buffer(compression=1)
    drawing = vtracer.convert_raw_image_to_svg(
        packed, img_format="png", colormode="color", hierarchical="stacked",
        mode="spline", filter_speckle=speckle, color_precision=8,
        layer_difference=0, corner_threshold=40, length_threshold=3.5, max_iterations=2,
        splice_threshold=10, path_precision=2,
    )  # fmt: skip
    nodes = len(COMMANDS.findall(" ".join(re.findall(r' d="([^"]*)"', drawing))))
    if nodes > MOST_NODES:
        raise Refusal(
            f"This picture would become {nodes:,} nodes: it is no flat art. Take fewer colours or larger "
            "specks, or write it as pixels."
        )
    physical = (mm_of(canvas.size.width, ppi), mm_of(canvas.size.height, ppi))
    path.write_text(_headed(drawing, (width, height), physical, (says or {}).get("dc:title", "")))
    again = pyvips.Image.svgload_buffer(
        _headed(drawing, (width, height), None, "").encode()
    ).flatten(background=[255] * 3)
    off = np.abs(again.numpy()[..., :3].astype(np.int16) - pixels[..., :3]).mean(axis=2)
    return TraceResult(count, drawing.count("<path"), nodes, float((off <= CLOSE).mean()))


def posterised(pixels: NDArray[np.uint8], colours: int) -> tuple[NDArray[np.uint8], int]:
    """Return a picture in few colours, with nearly equal ones merged, and their number.

    The colours are those of its flat places, found by k-means in Lab: pixels between two areas are
    mixtures of both and don't count.

    Parameters
    ----------
    pixels : (height, width, 3).
    """
    rgb = np.ascontiguousarray(pixels[..., :3])
    lab = cv2.cvtColor(rgb.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    steep = cv2.morphologyEx(rgb, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).max(axis=2)
    flat = lab[steep <= max(FLAT, float(np.percentile(steep, LEAST_FLAT)))]
    drawn = flat[np.random.default_rng(0).choice(len(flat), min(SAMPLES, len(flat)), replace=False)]
    cv2.setRNGSeed(0)
    many = min(colours, len(np.unique(drawn, axis=0)))
    until = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.1)
    _, placed, centres = cv2.kmeans(drawn, many, np.empty(0), until, 3, cv2.KMEANS_PP_CENTERS)
    counts = np.bincount(placed.ravel(), minlength=many)
    kept: list[NDArray[np.float32]] = []
    for place in np.argsort(-counts):
        if all(np.linalg.norm(centres[place] - one) > ALIKE for one in kept):
            kept.append(centres[place])
    palette = np.stack(kept)
    shown = cv2.cvtColor(palette[None], cv2.COLOR_LAB2RGB)[0]
    codes = np.clip(np.rint(shown * 255), 0, 255).astype(np.uint8)
    nearest = [np.argmin(((row[:, None] - palette[None]) ** 2).sum(axis=2), axis=1) for row in lab]
    return codes[_settled(np.stack(nearest), len(kept))], len(kept)


def _settled(places: NDArray[np.intp], many: int) -> NDArray[np.intp]:
    """Give each pixel the most frequent colour around it: mixtures along an edge between two colours may
    be nearest to a third, and would become slivers.
    """
    best = np.full(places.shape, -1.0, np.float32)
    made = np.zeros_like(places)
    for place in range(many):
        votes = cv2.GaussianBlur((places == place).astype(np.float32), (0, 0), AROUND)
        more = votes > best
        best[more], made[more] = votes[more], place
    return made


def _headed(
    drawing: str, size: tuple[int, int], physical: tuple[float, float] | None, title: str
) -> str:
    """Return the drawing with its size on paper, or in px, and its title."""
    across, down = (f"{side:.3f}mm" for side in physical) if physical else map(str, size)
    body = drawing[drawing.index(">", drawing.index("<svg")) + 1 :]
    named = f"<title>{escape(title)}</title>" if title else ""
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" version="1.1" width="{across}" height="{down}" '
        f'viewBox="0 0 {size[0]} {size[1]}">{named}{body}'
    )
