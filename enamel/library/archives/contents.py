"""What an archive of a piece contains, and where."""

from pathlib import PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from enamel.core.errors import Refusal
from enamel.core.finishing.recipe import Finish
from enamel.core.intake.subject import Subject
from enamel.core.networks.cards import cards
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.schedule import MAX_SIDE, Schedule
from enamel.library.models import Layer, Piece

FACTS = "enamel/piece.json"
"""The file of all that is known of the piece beside its pixels."""
MOST_LAYERS = 500
Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Side = Annotated[int, Field(ge=1, le=MAX_SIDE)]


class Stored(BaseModel):
    """A part of `PieceArchive`."""

    model_config = ConfigDict(extra="forbid", str_max_length=1_000_000)


class StoredLayer(Stored):
    """A layer: its pixels are the file ``data/HASH.png``."""

    sha256: Hash
    kind: Layer.Kind
    parent: Hash
    """Content key of the layer it was made from."""
    replaces: Hash | None = None
    recipe: dict[str, Any]
    content_key: Hash
    width: Side
    height: Side
    model: Annotated[str, Field(max_length=100)] = ""
    model_sha256: Hash | Literal[""] = ""
    seed: Annotated[int, Field(ge=0, lt=2**63)] | None = None
    seconds: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class StoredPicture(Stored):
    """A picture from outside that is laid over layers."""

    sha256: Hash
    name: Annotated[str, Field(max_length=255)]
    width: Side
    height: Side


class PieceArchive(Stored):
    """What an archive says of a piece. Layers are in the order of their making, each after its parent."""

    format: Literal["enamel-piece"] = "enamel-piece"
    version: Literal[1] = 1
    engine: str
    title: Annotated[str, Field(max_length=200)]
    notes: str = ""
    tags: list[Annotated[str, Field(max_length=40)]] = []
    mark: Piece.Mark | Literal[""] = ""
    subject: Subject
    made: dict[str, Any]
    made_by_model: bool
    base_name: Annotated[str, Field(min_length=1, max_length=255)]
    base_key: Hash
    """Content key of the base layer."""
    schedule: dict[str, Any] | None = None
    print: dict[str, Any] | None = None
    faces: list[Annotated[list[float], Field(min_length=4, max_length=5)]] | None = None
    layers: Annotated[list[StoredLayer], Field(max_length=MOST_LAYERS)] = []
    masks: dict[Annotated[str, Field(min_length=1, max_length=80)], dict[str, Any]] = {}
    laid: list[StoredPicture] = []
    models: dict[str, Hash] = {}
    """Hash of the file of each refiner and upscaler that the schedule and the layers use, by name."""


def base_file_of(name: str) -> str:
    """Return where the base file is in an archive, by its name without folders."""
    plain = PurePosixPath(name.replace("\\", "/")).name
    return f"enamel/base/{plain or 'base'}"


def file_of(sha256: str) -> str:
    """Return where the pixels of a layer are in an archive."""
    return f"data/{sha256}.png"


def laid_file_of(sha256: str) -> str:
    """Return where a laid picture is in an archive."""
    return f"enamel/laid/{sha256}.png"


def hashes_of(names: set[str]) -> dict[str, str]:
    """Return the hash of the file of each of these models that is available here."""
    return {entry.name: entry.sha256 for entry in cards() if entry.name in names}


def step_of(layer: StoredLayer) -> Any:
    """Return the step that made a layer; a `Refusal` when the recipe does not describe one."""
    recipe = layer.recipe
    try:
        places = recipe.get("places", [])
        if not all(len(place) == 4 and all(0 <= side <= 1 for side in place) for place in places):
            raise Refusal(
                "The places of a touch-up or inlay in this archive are not in the picture."
            )
        if layer.kind == Layer.Kind.COAT:
            return Schedule.from_json({"coats": [recipe["coat"]]}).coats[0]
        if layer.kind == Layer.Kind.TOUCH_UP:
            return TouchUp.from_json(recipe["touch_up"])
        if layer.kind == Layer.Kind.FINISH:
            return Finish.from_json(recipe["finish"])
        if layer.kind == Layer.Kind.INLAY:
            return [Inlay.from_json(form) for form in recipe["inlays"]]
        raise Refusal("This archive can't be imported: it has more than one base.")
    except (KeyError, TypeError) as error:
        raise Refusal(f"The recipe of a {layer.kind} in this archive can't be read.") from error
