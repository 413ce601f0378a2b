"""Test an upscaler's network: its input, output and receptive radius."""

from typing import Any

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray
from enamel.core.networks.probes import PROBE, margin, picture, smallest_grid
from enamel.core.networks.runtimes import Network

FARTHEST = 96
"""Largest receptive radius in px of the small picture that tiles are read with."""
FACTORS = (1, 2, 3, 4, 8)
TIMED = 128
"""Side in px of the picture that runtimes are compared on."""
ALIKE = 0.12
"""Most that a reduced result may differ from its source, as a fraction of the range."""


class UpscalerProbe:
    """Measures an upscaler's network."""

    def __init__(self, network: Network) -> None:
        self.network = network
        inputs, outputs = network.inputs, network.outputs
        if len(inputs) != 1 or len(outputs) != 1:
            raise Refusal(
                f"An upscaler takes one picture and gives one; this network has {len(inputs)} "
                f"inputs and {len(outputs)} outputs."
            )
        (given,) = inputs
        if given.type != "tensor(float)":
            raise Refusal(f"Its input is {given.type}; Enamel runs networks on tensor(float).")
        if len(given.shape) != 4:
            raise Refusal(f"Its input has {len(given.shape)} dimensions; a picture has four.")
        self.input, self.output = given.name, outputs[0].name
        self.layout = self._layout(given.shape)
        sides = given.shape[2:] if self.layout == "NCHW" else given.shape[1:3]
        self.fixed = [side for side in sides if side is not None] if all(sides) else None
        self.grid = 1 if self.fixed else smallest_grid(self.run)

    def facts(self) -> dict[str, Any]:
        """Kind, factor and the ``upscaler`` part of a card."""
        factor = self.factor()
        return {
            "kind": "upscaler",
            "factor": factor,
            "upscaler": {
                "input": self.input,
                "output": self.output,
                "layout": self.layout,
                "grid": self.grid,
                "fixed": self.fixed,
                "range": self.range(factor),
                "radius": self.radius(factor),
            },
        }

    def _layout(self, shape: tuple[int | None, ...]) -> str:
        if shape[1] == 3:
            return "NCHW"
        if shape[3] == 3:
            return "NHWC"
        if shape[1] == 1 or shape[3] == 1:
            raise Refusal("It works on one channel; Enamel needs networks for three, RGB.")
        raise Refusal(f"Its input, {list(shape)}, has no dimension of three channels.")

    def run(self, picture: FloatArray) -> FloatArray:
        """Run on (height, width, 3); return the larger picture, not clipped."""
        given = picture.transpose(2, 0, 1)[None] if self.layout == "NCHW" else picture[None]
        made = self.network.run({self.input: np.ascontiguousarray(given, np.float32)})
        if made.ndim != 4:
            raise Refusal(f"Its output has {made.ndim} dimensions; a picture has four.")
        return made[0].transpose(1, 2, 0) if self.layout == "NCHW" else made[0]

    def once(self) -> None:
        """Run on a picture of the size that runtimes are compared on."""
        self.run(picture(*self.size(TIMED)))

    def size(self, least: int) -> tuple[int, int]:
        """Return height and width of a probe of at least that side, or the network's fixed size."""
        if self.fixed:
            return self.fixed[0], self.fixed[1]
        side = -(-least // self.grid) * self.grid
        return side, side

    def factor(self) -> int:
        """Return its factor: how many times larger its results are."""
        height, width = self.size(PROBE)
        made = self.run(picture(height, width))
        down, across = made.shape[0] / height, made.shape[1] / width
        if made.shape[2] != 3 or down != across or down not in FACTORS:
            raise Refusal(
                f"From {width} × {height} px it makes {made.shape[1]} × {made.shape[0]} px with "
                f"{made.shape[2]} channels; the factor has to be one of "
                f"{', '.join(str(factor) for factor in FACTORS)}."
            )
        return int(down)

    def range(self, factor: int) -> int:
        """Return the value of white: 1 or 255, whichever gives the picture back when reduced."""
        source = picture(*self.size(PROBE))
        errors = {}
        for white in (1, 255):
            made = self.run(source * np.float32(white)) / white
            small = made.reshape(source.shape[0], factor, source.shape[1], factor, 3).mean((1, 3))
            errors[white] = float(np.abs(small - source).mean())
        best = min(errors, key=lambda white: errors[white])
        if not errors[best] < ALIKE:
            raise Refusal(
                "Its results don't look like the picture they were made from, neither with values "
                "from 0 to 1 nor from 0 to 255; it does not seem to be an upscaler."
            )
        return best

    def radius(self, factor: int) -> int:
        """Return the receptive radius in px of the small picture."""
        if self.fixed:
            height, width = self.fixed
            farthest = (min(height, width) - 1) // 2 - 1
        else:
            height, width = self.size(2 * FARTHEST + 33)
            farthest = FARTHEST
        white = np.float32(self.range(factor))
        side = min(height, width)

        def run(square: FloatArray) -> FloatArray:
            padded = picture(height, width) * white
            padded[:side, :side] = square
            return self.run(padded)[: side * factor, : side * factor]

        given = picture(height, width)[:side, :side] * white
        found = margin(run, given, grid=1, farthest=min(farthest, FARTHEST), factor=factor)
        if found is None:
            raise Refusal(
                f"It looks more than {min(farthest, FARTHEST)} px far or at the whole picture; tiles "
                "can't be made of it without seams."
            )
        return found
