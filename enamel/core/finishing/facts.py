"""Measurements of a layer for finishing: noise, blur, tones, blocks. Taken once for each layer."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from enamel.core.fields import from_json, number, setting, to_json
from enamel.core.finishing.kernels import Plane, Planes, chroma, difference, lightness
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.planes import LEVEL, planes_of
from enamel.core.finishing.recipe import Fringes
from enamel.core.finishing.repair import unfringed
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture, SampleArray
from enamel.core.intake.subject import BLOCK, flatness

SIDE = 256
"""Side of the measured windows, in px."""
ACROSS, DOWN = 4, 3
"""Number of windows, spread evenly."""
PATCH = 32
"""Side of the patches for measuring noise; the smoothest tenth of them counts."""
CALM = 0.1
COARSEST = 4
"""Largest grain size that is tried: enlarging makes grains larger."""
TAIL = 0.1
"""Per cent of the pixels that may be darker than black or lighter than white."""
NEUTRAL = 12.0
"""Colours within this distance of the greyest ones, in levels, show the cast."""


@dataclass(frozen=True, slots=True)
class Measurements:
    """Measurements of a layer. Levels are 0 to 255."""

    noise: float = number(0.0, 0, 255, "Deviation of the noise in lightness.", "levels")
    noise_colour: float = number(0.0, 0, 255, "Deviation of the noise in colour.", "levels")
    coarseness: float = number(1.0, 1, 4, "Size of its grains.", "px")
    blur: float = number(0.0, 0, 10, "Standard deviation of the blur of its sharpest edges.", "px")
    block: float = number(8.0, 4, 128, "Side of JPEG's blocks here.", "px")
    blocks: float = number(
        1.0, 0, 100, "Steps at their borders, as a multiple of those inside them."
    )
    fringes: float = number(0.0, 0, 255, "Colour that stands only beside edges.", "levels")
    black: float = number(0.0, 0, 1, "A thousandth is darker than this fraction of white.")
    white: float = number(1.0, 0, 1, "A thousandth is lighter than this.")
    middle: float = number(0.5, 0, 1, "Half is darker than this.")
    grey: str = setting("#808080", "What its greyest places look like.")
    colourful: float = number(0.0, 0, 255, "Mean distance of colours from grey.", "levels")
    flat: float = number(0.0, 0, 1, "Share of it that is filled flat, as in drawn art.")
    contrast: float = number(0.0, 0, 255, "Deviation within 1 / 40 of the longer side.", "levels")

    @classmethod
    def from_json(cls, given: Any) -> "Measurements":
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        form: dict[str, Any] = to_json(self)
        return form


def measured(layer: Picture, overview: Overview, scale: float = 1.0) -> Measurements:
    """Measure a layer on twelve windows at most and on its overview.

    Parameters
    ----------
    scale : how many times larger than its base the layer is, for the size of JPEG's blocks.
    """
    windows = _windows(layer)
    apart = [
        (planes, lightness(planes)) for planes in (planes_of(layer.read(box)) for box in windows)
    ]
    lights = [light for _, light in apart]
    levels = [light.astype(np.float32) / np.float32(LEVEL) for light in lights]
    colours = [
        chroma(planes[at], light).astype(np.float32) * np.float32(2 / LEVEL)
        for planes, light in apart
        for at in (0, 2)
    ]
    grains = min(COARSEST, max(1, round(scale)))
    fine, coarse_noise = _noise(levels, 1), _noise(levels, grains)
    coarseness = grains if coarse_noise > 2 * fine else 1
    coarse = overview.coarse()
    tones = lightness(planes_of(coarse))
    every = (np.concatenate([light.ravel() for light in lights]), tones)
    black = min(float(np.percentile(one, TAIL)) for one in every)
    white = max(float(np.percentile(one, 100 - TAIL)) for one in every)
    block = min(128.0, max(4.0, BLOCK * scale))
    return Measurements(
        noise=round(max(fine, coarse_noise), 2),
        noise_colour=round(_noise(colours, coarseness), 2),
        coarseness=float(coarseness),
        blur=round(_blur(levels), 2),
        block=round(block, 2),
        blocks=round(_blocks(list(zip(windows, levels, strict=True)), block), 3),
        fringes=round(_fringes([planes for planes, _ in apart]), 2),
        black=round(black / WHITE, 4),
        white=round(white / WHITE, 4),
        middle=round(float(np.median(tones)) / WHITE, 4),
        grey=_grey(coarse),
        flat=round(_flat(levels, max(1, round(scale))), 3),
        colourful=round(_colourful(coarse), 2),
        contrast=round(_contrast(tones), 2),
    )


def _windows(layer: Picture) -> list[Box]:
    width, height = (min(SIDE, side) for side in layer.size)
    x_room, y_room = layer.size.width - width, layer.size.height - height
    boxes = [
        Box(round(across * x_room), round(down * y_room), width, height)
        for down in np.linspace(0, 1, DOWN) for across in np.linspace(0, 1, ACROSS)
    ]  # fmt: skip
    return list(dict.fromkeys(boxes))  # in a small picture all are the same


def _noise(planes: list[FloatArray], coarseness: int) -> float:
    """Deviation of the noise in levels.

    Immerkær, "Fast noise variance estimation", CVIU 64, 1996, in patches of the picture reduced until the
    grains are as large as a px.
    """
    return float(np.median([_calm(_reduced(plane, coarseness)) for plane in planes]))


def _reduced(plane: FloatArray, scale: int) -> FloatArray:
    height, width = (side // scale * scale for side in plane.shape)
    parts = plane[:height, :width].reshape(height // scale, scale, width // scale, scale)
    return parts.mean((1, 3), dtype=np.float32)


def _calm(plane: FloatArray) -> float:
    """Return noise of the calmest patches of a plane."""
    if min(plane.shape) < 3:
        return 0.0
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    size = np.abs(cv2.filter2D(plane, cv2.CV_32F, mask))[1:-1, 1:-1]
    side = min(PATCH, *size.shape)
    height, width = (length // side * side for length in size.shape)
    means = size[:height, :width].reshape(height // side, side, width // side, side).mean((1, 3))
    return float(np.quantile(means, CALM)) * float(np.sqrt(np.pi / 2)) / 6


def _blur(planes: list[FloatArray]) -> float:
    """Return blur of the sharpest edges in px; 0 where there are none.

    Zhuo & Sim, "Defocus map estimation from a single image", Pattern Recognition 44, 2011, eq. 4 to 6: at
    an edge the gradient falls by R = √(1 + σ₀² ÷ σ²) when it is blurred again by σ₀.
    """
    ratios = []
    for plane in planes:
        again = cv2.GaussianBlur(plane, (7, 7), 1.0)
        own, other = _gradient(plane), _gradient(again)  # type: ignore[arg-type]
        edge = (own == cv2.dilate(own, np.ones((3, 3), np.uint8))) & (own > 24)
        ratios.append((own / np.maximum(other, 1e-3))[edge])
    every = np.concatenate(ratios)
    if every.size < 50:
        return 0.0
    sharpest = float(np.quantile(every, 0.75))
    return min(10.0, 1 / float(np.sqrt(max(sharpest * sharpest - 1, 1e-2))))


def _gradient(plane: FloatArray) -> FloatArray:
    """Return size of the gradient in levels for 2 px."""
    across = cv2.Sobel(plane, cv2.CV_32F, 1, 0) / 4
    down = cv2.Sobel(plane, cv2.CV_32F, 0, 1) / 4
    size: FloatArray = np.hypot(across, down)
    return size


def _blocks(seen: list[tuple[Box, FloatArray]], block: float) -> float:
    """Return the ratio of steps across the borders of blocks to those across their middles; 1 without
    blocks.
    """
    border, middle = [], []
    near = max(1, round(block / 8))
    for box, plane in seen:
        for first, lines in ((box.x, plane.T), (box.y, plane)):
            places = np.arange(near, len(lines) - near)
            steps = np.abs(lines[places + near - 1] - lines[places - near]).astype(np.float64)
            calm = np.where(steps < 16, steps, np.nan)
            at = (first + places) / block % 1
            border.append(calm[np.minimum(at, 1 - at) < 0.5 / block])
            middle.append(calm[np.abs(at - 0.5) < 0.5 / block + 1e-9])
    values = [np.concatenate([part.ravel() for part in parts]) for parts in (border, middle)]
    if not all(np.isfinite(part).any() for part in values):
        return 1.0
    at_border, inside = (float(np.nanmean(part)) for part in values)
    return min(100.0, at_border / max(inside, 0.05))


def _fringes(seen: list[Planes]) -> float:
    """Return the mean strength of colours directly beside strong edges, beyond those around them."""
    changes = []
    for planes in seen:
        without = unfringed(planes, Fringes(amount=1.0))
        changes += [np.abs(difference(planes[at], without[at])) / LEVEL for at in (0, 2)]
    every = np.concatenate([change.ravel() for change in changes])
    strong = every[every > 1]
    return float(strong.mean()) * min(1.0, strong.size / every.size * 20) if strong.size else 0.0


def _flat(planes: list[FloatArray], step: int) -> float:
    """Return the fraction of flat areas, on every ``step``-th px, because enlarging makes direct
    neighbours alike.
    """
    return float(np.mean([flatness(plane[::step, ::step] / np.float32(255)) for plane in planes]))


def _grey(coarse: SampleArray) -> str:
    """Return mean of the greyest colours between dark and light."""
    values = coarse.reshape(-1, 3).astype(np.float64) / LEVEL
    light = values.mean(1)
    apart = values.max(1) - values.min(1)
    tone = (light > 48) & (light < 224)
    if tone.sum() < 20:
        return "#808080"
    limit = float(np.quantile(apart[tone], 0.05)) + NEUTRAL
    mean = values[tone & (apart <= limit)].mean(0)
    return "#{:02x}{:02x}{:02x}".format(*(max(8, round(part)) for part in mean))


def _colourful(coarse: SampleArray) -> float:
    planes = planes_of(coarse)
    light = lightness(planes)
    red, blue = (difference(planes[at], light) / LEVEL for at in (0, 2))
    return float(np.hypot(red, blue).mean())


def _contrast(tones: Plane) -> float:
    """Deviation of lightness from its surroundings, on the overview."""
    levels = tones.astype(np.float32) / LEVEL
    around = cv2.GaussianBlur(levels, (0, 0), max(1.0, max(levels.shape) / 40))
    return float((levels - around).std())
