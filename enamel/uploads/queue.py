"""Put the jobs of uploads in their queue."""

from enamel.jobs.queueing import MAINTENANCE, enqueue
from enamel.uploads.models import Upload


def enqueue_upload(upload: Upload) -> None:
    """Have an upload read."""
    enqueue("uploads.read_upload", MAINTENANCE, upload_id=str(upload.pk))
