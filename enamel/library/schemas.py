"""API schemas of pieces and layers."""

from datetime import datetime
from typing import Any
from uuid import UUID

from ninja import Field, Schema

from enamel.accounts.schemas import Settings
from enamel.library.models import Layer, Piece
from enamel.uploads.models import Upload


class LayerBody(Schema):
    """One image of a piece."""

    id: UUID
    piece: UUID
    parent: UUID | None
    kind: str
    width: int
    height: int
    sha256: str
    created: datetime
    seconds: float
    settings: Settings = Field(description="What made it of its parent; null for the base.")
    verdict: str = Field(description="What its checks came to, in a line.")

    @classmethod
    def of(cls, layer: Layer) -> "LayerBody":
        return cls(
            id=layer.pk, piece=layer.piece_id, parent=layer.parent_id, kind=layer.kind,
            width=layer.width, height=layer.height, sha256=layer.sha256, created=layer.created,
            seconds=layer.seconds,
            settings=None if layer.kind == Layer.Kind.BASE else layer.step_form,
            verdict=layer.verdict,
        )  # fmt: skip


class PieceBody(Schema):
    """One picture on its way to print."""

    id: UUID
    title: str
    created: datetime
    mark: str
    tags: list[str]
    notes: str
    subject: str = Field(description="Kind of picture.")
    prompt: str = Field(description="What it was made from, where its file says so.")
    base: LayerBody

    @classmethod
    def of(cls, piece: Piece) -> "PieceBody":
        return cls(**cls.facts(piece))

    @staticmethod
    def facts(piece: Piece) -> dict[str, Any]:
        return {
            "id": piece.pk, "title": piece.title, "created": piece.created, "mark": piece.mark,
            "tags": piece.tags, "notes": piece.notes, "subject": piece.subject,
            "prompt": piece.how_made.prompt, "base": LayerBody.of(piece.base),
        }  # fmt: skip


class PieceWithLayers(PieceBody):
    layers: list[LayerBody] = Field(description="In the order they were made, the base first.")

    @classmethod
    def of(cls, piece: Piece) -> "PieceWithLayers":
        return cls(**cls.facts(piece), layers=[LayerBody.of(layer) for layer in piece.layers.all()])


class Pieces(Schema):
    count: int
    pieces: list[PieceBody]


class UploadBody(Schema):
    """A large file that a worker reads."""

    id: UUID
    name: str
    state: str
    progress: float = Field(description="How much of it is read, 0…1.")
    error: str
    piece: UUID | None

    @classmethod
    def of(cls, upload: Upload) -> "UploadBody":
        return cls(
            id=upload.pk, name=upload.name, state=upload.state, progress=upload.progress,
            error=upload.error, piece=upload.piece_id,
        )  # fmt: skip
