"""Read the header of a safetensors file, without the library.

The format: eight bytes with the length of a header, little-endian; the header, JSON, which names each
tensor with its type, shape and place; the tensors' data. It contains nothing that could be run.
"""

import math
import struct
from dataclasses import dataclass
from pathlib import Path

from enamel.core.errors import Refusal
from enamel.core.jsontext import read_json

ENDING = ".safetensors"
LONGEST_HEADER = 100 * 2**20
BITS = {
    "BOOL": 8, "U8": 8, "I8": 8, "F8_E4M3": 8, "F8_E5M2": 8, "U16": 16, "I16": 16, "F16": 16,
    "BF16": 16, "U32": 32, "I32": 32, "F32": 32, "U64": 64, "I64": 64, "F64": 64,
}  # fmt: skip
"""Types of the format, and their widths."""
PICKLE = (b"PK\x03\x04", b"\x80\x02", b"\x80\x03", b"\x80\x04", b"\x80\x05")


@dataclass(frozen=True, slots=True)
class Weights:
    """A file's tensors. ``shapes`` by name."""

    path: Path
    shapes: dict[str, tuple[int, ...]]
    dtypes: frozenset[str]
    bytes: int

    @property
    def parameters(self) -> int:
        """Number of values in it."""
        return sum(math.prod(shape) for shape in self.shapes.values())


def weights_in(path: Path) -> Weights:
    """Return the tensors of a safetensors file.

    Raises
    ------
    Refusal
        When it is not such a file, is truncated, or its header does not match its content.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        start = file.read(8)
        if start.startswith(PICKLE):
            raise Refusal(
                f"{path.name} is a pickle with another name: loading it could run anything. Ask for the "
                "safetensors form, or convert it on a machine that you can lose."
            )
        length = struct.unpack("<Q", start)[0] if len(start) == 8 else 0
        if not 2 <= length <= min(LONGEST_HEADER, size - 8):
            raise Refusal(f"{path.name} is no safetensors file, or was cut short.")
        raw = file.read(length)
    try:
        header = read_json(raw, most=LONGEST_HEADER)
        tensors = {name: entry for name, entry in header.items() if name != "__metadata__"}
        shapes = {name: _shape(entry) for name, entry in tensors.items()}
        dtypes = frozenset(entry["dtype"] for entry in tensors.values())
        fits = all(_fits(entry, shapes[name], size - 8 - length) for name, entry in tensors.items())
    except (ValueError, TypeError, KeyError, AttributeError):
        raise Refusal(f"{path.name} has a header that can't be read as safetensors.") from None
    if not fits:
        raise Refusal(
            f"{path.name} claims tensors that it does not hold: it was cut short or made up."
        )
    return Weights(path, shapes, dtypes, size)


def _shape(entry: dict[str, list[int]]) -> tuple[int, ...]:
    shape = tuple(int(side) for side in entry["shape"])
    if min(shape, default=0) < 0:
        raise ValueError(shape)
    return shape


def _fits(entry: dict[str, list[int]], shape: tuple[int, ...], room: int) -> bool:
    """Return whether a tensor is inside the file and has the length that its type and shape give."""
    begin, end = entry["data_offsets"]
    return (
        0 <= begin <= end <= room
        and (end - begin) * 8 == math.prod(shape) * BITS[str(entry["dtype"])]
    )
