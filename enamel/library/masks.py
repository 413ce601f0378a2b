"""Masks of a piece: measured on its layers, or saved by the artist."""

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.masks import Mask
from enamel.core.masks.measured import differs, face_steps, nearer, places_mask, sharper
from enamel.core.masks.steps import Feather
from enamel.core.upscaling import Enlarged, upscaler
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece, SavedMask

LONGEST_NAME = 80


ALL_FACES = "all faces"
HAIR = 0.4
"""Margin for hair and neck around faces that are masked together, as a fraction of the face."""


def named(piece: Piece) -> dict[str, Mask]:
    """Return the masks of a piece by name: that of all its faces, if it has any, and the saved ones."""
    found = {}
    if piece.base.faces or piece.faces_kept:
        found[ALL_FACES] = faces_mask(piece.base)
    return found | {kept.name: kept.as_mask() for kept in piece.masks.all()}


def faces_mask(layer: Layer) -> Mask:
    """Return all the piece's faces on a layer, with their hair."""
    faces = layer.piece.faces_on(layer)
    if not faces:
        raise Refusal("This piece has no faces; add them by hand under Faces.")
    soft = min(min(face.box.size) for face in faces) / 4
    return Mask(layer.size, (*face_steps(faces, HAIR), Feather(soft)))


def difference_mask(layer: Layer) -> Mask:
    """Return the mask of where a layer visibly differs from its base."""
    with canvas_of(layer) as result, canvas_of(layer.piece.base) as base:
        return differs(result, Enlarged(base, layer.size, upscaler("lanczos")))


def findings_mask(layer: Layer) -> Mask:
    """Return the mask of what the checks found on a layer.

    Raises
    ------
    Refusal
        When it was not checked, or nothing was found.
    """
    layer.refresh_from_db(fields=["checks"])
    findings = (layer.checks or {}).get("findings", [])
    places = [Box(*finding["box"]) for finding in findings]
    if not places:
        raise Refusal("The checks found nothing on this layer.")
    return places_mask(places, layer.size)


def better_mask(over: Layer, under: Layer, measure: str) -> Mask:
    """Return the mask of where one layer is sharper than another, or nearer to the base, at the other's
    size.
    """
    by = upscaler("lanczos")
    with canvas_of(over) as above, canvas_of(under) as below, canvas_of(under.piece.base) as base:
        laid = Enlarged(above, under.size, by)
        if measure == "sharper":
            return sharper(laid, below)
        return nearer(laid, below, Enlarged(base, under.size, by))


def keep(piece: Piece, name: str, mask: Mask) -> SavedMask:
    """Save a mask under a name; a mask of that name is replaced."""
    name = " ".join(name.split())[:LONGEST_NAME]
    if name.casefold() == ALL_FACES:
        raise Refusal(f"“{ALL_FACES}” is there already, for every piece; give it another name.")
    if not name:
        raise Refusal("Give the mask a name, so that it can be found again.")
    if not mask.steps:
        raise Refusal("There is nothing drawn to be kept.")
    kept, _ = SavedMask.objects.update_or_create(
        piece=piece, name=name, defaults={"mask": to_json(mask)}
    )
    return kept


def rename(kept: SavedMask, name: str) -> None:
    """Rename a saved mask. A `Refusal` when another mask has that name."""
    name = " ".join(name.split())[:LONGEST_NAME]
    others = SavedMask.objects.filter(piece_id=kept.piece_id, name=name).exclude(pk=kept.pk)
    if not name or others:
        raise Refusal("Another mask has this name." if others else "Give the mask a name.")
    kept.name = name
    kept.save(update_fields=["name"])
