"""Deep-zoom pyramids of layers: built once, one file each, read tile by tile."""

import zipfile
from collections import OrderedDict
from pathlib import Path
from threading import Lock

from django.core.files.storage import default_storage

from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.imaging.canvas import Canvas
from enamel.storage.copies import local

TILE = 510
OVERLAP = 1
"""One px on each side, so that a magnified join of two pyramid tiles shows no hairline."""
THUMBNAIL = 512
OPEN_ARCHIVES = 24


def build(canvas: Canvas, path: Path) -> None:
    """Write the pyramid: an uncompressed zip of lossless PNG tiles in the Deep Zoom layout."""
    image = PixelBuffer.of_canvas(canvas).eight_bits().image
    image.dzsave(
        str(path),
        layout="dz",
        container="zip",
        suffix=".png[compression=2]",
        tile_size=TILE,
        overlap=OVERLAP,
        depth="onepixel",
    )


def thumbnail(canvas: Canvas, side: int = THUMBNAIL) -> bytes:
    """Return a WebP of at most that many px a side."""
    small = PixelBuffer.of_canvas(canvas).eight_bits().at_most(side)
    data: bytes = small.image.webpsave_buffer(Q=88)
    return data


class Archives:
    """A cache of open pyramid files; the least recently used is closed first."""

    def __init__(self) -> None:
        self._open: OrderedDict[str, tuple[zipfile.ZipFile, dict[str, str]]] = OrderedDict()
        self._lock = Lock()

    def tile(self, name: str, level: int, column: int, row: int) -> bytes | None:
        """Return one tile as PNG, or None when the pyramid has no such tile."""
        with self._lock:
            archive, entries = self._archive(name)
        entry = entries.get(f"{level}/{column}_{row}.png")
        # several threads may read one archive: it locks its file for each block
        return archive.read(entry) if entry else None

    def _archive(self, name: str) -> tuple[zipfile.ZipFile, dict[str, str]]:
        if name not in self._open:
            archive = zipfile.ZipFile(local(default_storage, name))
            entries = {
                "/".join(entry.rsplit("/", 2)[-2:]): entry
                for entry in archive.namelist()
                if entry.endswith(".png")
            }
            self._open[name] = (archive, entries)
            if len(self._open) > OPEN_ARCHIVES:
                self._open.popitem(last=False)  # it closes itself once nobody reads it any more
        self._open.move_to_end(name)
        return self._open[name]


archives = Archives()
