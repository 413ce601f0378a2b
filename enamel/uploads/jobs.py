"""Read uploads in workers, each kind by the app that registered a reader for it."""

from collections.abc import Callable

from enamel.jobs.running import Stopping, carries_out
from enamel.uploads.models import Upload
from enamel.uploads.services import path_of

Reader = Callable[[Upload], None]
"""Reads an upload and ends it with `Upload.finish`; raises `Refusal` to reject it."""
_readers: dict[str, Reader] = {}


def register(kind: str, reader: Reader) -> None:
    """Register the function that reads uploads of a kind."""
    _readers[kind] = reader


def _delete_file(upload: Upload) -> None:
    path_of(upload).unlink(missing_ok=True)


@carries_out(Upload, _delete_file)
def read(upload: Upload, stopping: Stopping) -> None:
    """Read an upload."""
    _readers[upload.kind](upload)
