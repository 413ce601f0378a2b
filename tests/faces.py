"""Finding faces quickly: it takes a third of a second for a layer of 240 px, and a second for larger ones."""

from collections.abc import Callable
from typing import Any

from enamel.core.checks import faces as checks
from enamel.core.faces.detection import Face, detect_faces
from enamel.core.imaging.canvas import Picture, digest_of
from enamel.library import layers

NO_FACE = 240
"""Layers up to this side in px are taken to have no faces."""


def find_faces_quickly(replace: Callable[[Any, str, Any], None]) -> None:
    """Have the faces of equal pixels found once, and none on small layers.

    Parameters
    ----------
    replace : replaces a module's function, as `setattr` does.
    """
    known: dict[str, list[Face]] = {}

    def found(picture: Picture) -> list[Face]:
        digest = digest_of(picture)
        if digest not in known:
            known[digest] = detect_faces(picture)
        return known[digest]

    def found_on_layer(picture: Picture) -> list[Face]:
        return [] if max(picture.size) <= NO_FACE else found(picture)

    replace(checks, "detect_faces", found)
    replace(layers, "detect_faces", found_on_layer)
