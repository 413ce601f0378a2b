"""Read large pictures and archives, prepare layers for viewing, and delete old pieces, in workers."""

import shutil
from functools import partial
from uuid import UUID

from procrastinate.contrib.django import app

from enamel.core.errors import Refusal
from enamel.jobs import sweeper
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task
from enamel.library import layers, services
from enamel.library.archives.reading import import_archive
from enamel.library.models import Layer, Piece
from enamel.library.queue import enqueue_preparation
from enamel.storage.scratch import temporary_folder
from enamel.uploads import jobs as uploads
from enamel.uploads.models import Upload
from enamel.uploads.services import path_of


@task(MAINTENANCE, "Preparing a layer for viewing")
def prepare(layer_id: str) -> None:
    """Prepare a layer for viewing."""
    layer = Layer.objects.filter(pk=UUID(layer_id)).first()
    if layer is not None:
        layers.prepare(layer)


sweeper.register(
    sweeper.JobKind(
        "library.prepare", "layer_id", lambda: Layer.objects.filter(pyramid=""), enqueue_preparation
    )
)


@app.periodic(cron="17 4 * * *")
@task(MAINTENANCE, "Deleting old pieces for good")
def delete_for_good(timestamp: int) -> None:
    """Delete pieces for good that were deleted long ago. Once a day."""
    services.delete_for_good()


def _read_picture(upload: Upload) -> None:
    """Make a piece of an uploaded picture. The piece is saved and the upload ended in one transaction."""
    with temporary_folder("import") as folder:
        path = folder / "original"
        shutil.copyfile(path_of(upload), path)

        def report(fraction: float) -> None:
            upload.record(progress=fraction)

        services.from_file(
            upload.owner_id,
            path,
            upload.name,
            on_progress=report,
            on_saved=partial(_finish, upload),
        )


def _read_piece(upload: Upload) -> None:
    """Make a piece of an archive of another installation's. It is saved and the upload ended in one
    transaction.
    """

    def report(fraction: float) -> None:
        upload.record(progress=fraction)

    import_archive(
        upload.owner_id, path_of(upload), on_progress=report, on_saved=partial(_finish, upload)
    )


def _finish(upload: Upload, piece: Piece) -> None:
    """End an upload as read."""
    if not upload.finish(piece_id=piece.pk):
        raise Refusal("This file was deleted, or read by another worker, meanwhile.")


uploads.register(Upload.Kind.PICTURE, _read_picture)
uploads.register(Upload.Kind.PIECE, _read_piece)
