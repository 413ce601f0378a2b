"""Read uploads in workers, each kind by the app that registered a reader for it."""

from collections.abc import Callable
from uuid import UUID

from django.db.models import F

from enamel.core.errors import Refusal
from enamel.jobs import sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task
from enamel.storage.disk import require_some_room, waiting_for_room
from enamel.uploads.models import Upload
from enamel.uploads.queue import enqueue_upload
from enamel.uploads.services import path_of

ATTEMPTS = 3
"""An upload at which workers died this often is not tried again."""

Reader = Callable[[Upload], None]
"""Reads an upload and ends it with `end`; raises `Refusal` to reject it."""
_readers: dict[str, Reader] = {}


def register(kind: str, reader: Reader) -> None:
    """Have uploads of a kind read by this function."""
    _readers[kind] = reader


@task(MAINTENANCE, "Reading an upload")
def read_upload(upload_id: str) -> None:
    """Read an upload that is waiting."""
    carry_out(UUID(upload_id))


sweeper.register(
    sweeper.JobKind("uploads.read_upload", "upload_id", Upload.objects.open, enqueue_upload)
)


def carry_out(upload_id: UUID) -> Upload | None:
    """Read an upload that is waiting. Safe to repeat; None when there is nothing to do."""
    open_ones = Upload.objects.filter(pk=upload_id).open()
    working = {"state": Upload.State.WORKING, "progress": 0, "error": ""}
    if not open_ones.update(attempts=F("attempts") + 1, **working):
        return None
    upload = Upload.objects.select_related("owner").get(pk=upload_id)
    try:
        if upload.attempts > ATTEMPTS:
            raise Refusal(
                "The kiln broke off several times at this file, most likely for lack of memory."
            )
        require_some_room()
        _readers[upload.kind](upload)
    except Exception as error:
        own = Upload.objects.filter(pk=upload.pk)
        with waiting_for_room(own, state=Upload.State.WAITING, attempts=F("attempts") - 1):
            reason = describe_error(error, f"upload {upload.pk}")
        end(upload, Upload.State.REJECTED, error=reason)
    path_of(upload).unlink(missing_ok=True)
    return upload


def report_progress(upload: Upload, fraction: float) -> None:
    """Store how much of an upload has been read."""
    Upload.objects.filter(pk=upload.pk).update(progress=fraction)


def end(upload: Upload, state: str, *, error: str = "", piece_id: UUID | None = None) -> bool:
    """End an upload unless it was deleted, or ended by another worker; return whether this call did."""
    known = Upload.objects.filter(pk=upload.pk).open()
    return bool(known.update(state=state, error=error, piece_id=piece_id))
