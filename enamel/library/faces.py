"""A piece's faces: as found on the base or corrected by hand, listed by how much they need mending."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.core.cache import cache

from enamel.core.checks.likenesses import FaceFacts, facts_of
from enamel.core.errors import Refusal
from enamel.core.faces.detection import Face
from enamel.core.geometry import Box
from enamel.core.printing.layout import lay_out
from enamel.core.printing.sizing import MM_PER_INCH
from enamel.core.schedule import content_key
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from enamel.library.models.layers import face_as_kept

MOST_FACES = 200
LEAST_SIDE = 8
"""Least side of a face that is corrected by hand, in px of the base."""
KEPT_SECONDS = 86400


@dataclass(frozen=True, slots=True)
class ListedFace:
    """A face on a layer, with the reasons to mend it."""

    number: int
    """Index in the piece's list of faces."""
    face: Face
    facts: FaceFacts
    print_mm: float
    """Height from brow to chin on the planned print."""


def listed(layer: Layer) -> list[ListedFace]:
    """Return the piece's faces on a layer, those that most need mending first."""
    piece = layer.piece
    faces = piece.faces_on(layer)
    if not faces:
        return []
    key = f"faces-{content_key(layer.sha256, [face_as_kept(face) for face in faces])}"
    facts: list[FaceFacts] | None = cache.get(key)
    if facts is None:
        with canvas_of(layer) as result, canvas_of(piece.base) as base:
            facts = [facts_of(face, base, result) for face in faces]
        cache.set(key, facts, KEPT_SECONDS)
    plan = piece.print_plan
    picture = lay_out(piece.base.size, plan).picture
    mm_per_px = picture.width / layer.width / plan.target.ppi * MM_PER_INCH
    found = [
        ListedFace(number, face, one, face.box.height * mm_per_px)
        for number, (face, one) in enumerate(zip(faces, facts, strict=True))
    ]
    return sorted(found, key=lambda face: -face.facts.need)


def correct_faces(layer: Layer, faces: Sequence[Face]) -> None:
    """Replace the faces that were found by these, given in px of a layer.

    Raises
    ------
    Refusal
        When one lies outside the picture or is too small for a face.
    """
    piece = layer.piece
    if len(faces) > MOST_FACES:
        raise Refusal(f"{len(faces)} faces; at most {MOST_FACES} are kept.")
    scale = piece.base.width / layer.width
    whole = Box.whole(piece.base.size)
    kept = []
    for number, face in enumerate(faces, 1):
        box = face.box.scaled(scale)
        if box.intersection(whole).empty or min(box.size) < LEAST_SIDE:
            raise Refusal(
                f"Face {number}, {box}, can't be kept: it has to lie on the picture and measure at least "
                f"{LEAST_SIDE} px of the base. Nothing was changed."
            )
        kept.append(face_as_kept(replace(face, box=box.intersection(whole))))
    Piece.objects.filter(pk=piece.pk).update(faces_kept=kept)
    piece.faces_kept = kept


def reset_faces(piece: Piece) -> None:
    """Drop all corrections: the faces are again those found on the base."""
    Piece.objects.filter(pk=piece.pk).update(faces_kept=None)
    piece.faces_kept = None
