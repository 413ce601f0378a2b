"""Keep a sampler's state between two steps on disk, one field after the other."""

from pathlib import Path

import numpy as np

from enamel.core.diffusion.samplers import State
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas, FloatArray


class StateCanvas:
    """The fields of a state over a region of a picture, one below the other in a canvas of float32.

    Parameters
    ----------
    path : the file; `create` makes it.
    region : what the state covers, in px or cells of the network's space.
    """

    def __init__(self, path: Path, region: Box) -> None:
        self.path = path
        self.region = region
        self._canvas = Canvas(path)
        self.fields = self._canvas.region.height // region.height

    @classmethod
    def create(cls, path: Path, region: Box, fields: int, channels: int) -> "StateCanvas":
        """Make the file, all zero and sparse, and open it."""
        stacked = Box(0, 0, region.width, fields * region.height)
        Canvas.create(path, stacked, channels, np.float32).close()
        return cls(path, region)

    def read(self, box: Box, field: int = 0) -> FloatArray:
        """(box height, box width, channels) of one field."""
        return self._canvas.read(self._place(box, field))

    def read_all(self, box: Box, rest: Box | None = None) -> State:
        """Read the first field in a box, and the others in it or in a smaller one."""
        others = (self.read(rest or box, field) for field in range(1, self.fields))
        return self.read(box), *others

    def write(self, box: Box, state: State) -> None:
        """Put all fields into the box. Other boxes may be written at the same time."""
        for field, values in enumerate(state):
            self._canvas.write(self._place(box, field), values)

    def _place(self, box: Box, field: int) -> Box:
        inside = box.relative_to(self.region)
        return Box(inside.x, inside.y + field * self.region.height, *box.size)

    def settle(self) -> None:
        """Wait until what was written is on the disk."""
        self._canvas.settle()

    def close(self) -> None:
        self._canvas.close()

    def __enter__(self) -> "StateCanvas":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()
