"""Finding faces quickly: finding all faces of a picture takes a second or more."""

import os
import pickle
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from enamel.core.checks import faces as checks
from enamel.core.faces.detection import Face, detect_faces
from enamel.core.files import whole_file
from enamel.core.imaging.canvas import Picture, Pixels, digest_of
from enamel.core.imaging.reduce import reduced
from enamel.library import layers

NO_FACE = 240
"""Layers up to this side in px are taken to have no faces."""
LOOKED_AT = 100
"""Longer side in px of the copies that faces are found in."""


def find_faces_once(picture: Picture) -> list[Face]:
    """Find all faces of a picture; those of equal pixels are found once by all processes of a run."""
    file = Path(os.environ["ENAMEL_TESTS_FACES"]) / digest_of(picture)
    if not file.exists():
        with whole_file(file) as partial:
            partial.write_bytes(pickle.dumps(detect_faces(picture)))
    faces: list[Face] = pickle.loads(file.read_bytes())
    return faces


def find_faces_in_copy(picture: Picture) -> list[Face]:
    """Find the large faces of a picture, in a small copy of it."""
    longer = max(picture.size)
    if longer <= NO_FACE:
        return []
    small = Pixels(reduced(picture, picture.size.scaled(LOOKED_AT / longer)))
    faces = find_faces_once(small)
    return [replace(face, box=face.box.scaled(longer / LOOKED_AT)) for face in faces]


def find_faces_quickly(replace_with: Callable[[Any, str, Any], None]) -> None:
    """Have the faces of layers found in small copies.

    Parameters
    ----------
    replace_with : replaces a module's function, as `setattr` does.
    """
    replace_with(checks, "detect_faces", find_faces_in_copy)
    replace_with(layers, "detect_faces", find_faces_in_copy)
