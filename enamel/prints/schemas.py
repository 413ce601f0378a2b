"""API schemas of print files."""

from uuid import UUID

from ninja import Schema

from enamel.prints.models import PrintFile


class FileBody(Schema):
    """A print file."""

    id: UUID
    layer: UUID
    name: str
    width: int
    height: int
    state: str
    progress: float
    error: str
    note: str

    @classmethod
    def of(cls, made: PrintFile) -> "FileBody":
        return cls(
            id=made.pk, layer=made.layer_id, name=made.name, width=made.width, height=made.height,
            state=made.state, progress=made.progress, error=made.error, note=made.note,
        )  # fmt: skip
