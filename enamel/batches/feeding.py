"""Running batches: pictures given to the kiln one after the other, and the print files of those fired.

The outcome of a picture is read from its firing; a worker that dies leaves nothing that the next could not
resume from, and nothing is made twice.
"""

import logging
import shutil
from contextlib import suppress
from functools import partial
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from enamel.batches import folders
from enamel.batches.models import Batch, BatchItem
from enamel.catalogue.models import Suited, SuitedModels
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.core.intake.reading import read_apart
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.treatment import AskedFile, Treatment
from enamel.core.schedule import Schedule
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.firings.models.firings import Step
from enamel.jobs.errors import describe_error
from enamel.jobs.locks import Busy, advisory_lock
from enamel.jobs.models import Worker
from enamel.jobs.queueing import FIRINGS
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Layer, Piece
from enamel.prints import services as prints
from enamel.storage.scratch import passing

logger = logging.getLogger(__name__)

AHEAD = 2
"""Firings of batches that wait in the queue beside those that run, so that no worker is without."""


def feed() -> None:
    """Give the kiln what batches have to do next, the most urgent first."""
    for batch in Batch.objects.at_work():
        with suppress(Busy), advisory_lock(batch.pk):
            _feed(batch)


def _feed(batch: Batch) -> None:
    if batch.looking:
        try:
            folders.look(batch)
        except (Refusal, OSError) as error:
            logger.warning("batch %s: %s", batch.pk, error)
            batch.looking = batch.watched  # a watched folder may be away for a while
            batch.save(update_fields=["looking"])
    for item in batch.items.fired().filter(ordered=False, error="", skipped=False).with_all():
        if item.fired:
            _order_files(item, item.fired)
    for item in batch.items.waiting()[: _room()]:
        _begin(item)
    if not batch.items.waiting().exists():
        _end(batch)


def _room() -> int:
    """Return how many more firings the kiln can do with."""
    open_ones = Firing.objects.open().filter(work=Firing.Work.BATCH, piece__deleted_at=None)
    workers = Worker.objects.serving(FIRINGS).count()
    return max(0, max(1, workers) + AHEAD - open_ones.count())


def _begin(item: BatchItem) -> None:
    """Import a picture, if it is a file yet, and ask for its firing; or note why that can't be."""
    try:
        piece = item.piece or _brought_in(item)
        if piece.deleted_at is not None:
            raise Refusal("The piece was deleted before its turn came.")
        store.prepare(piece.base)
        treatment = item.batch.as_treatment()
        steps = steps_for(piece, treatment)
        with transaction.atomic():
            # the batch's row is the lock, so that a pause is either before this or after it
            batch = Batch.objects.select_for_update().filter(pk=item.batch_id).first()
            if batch is None or batch.paused or batch.ended is not None:
                return
            waiting = BatchItem.objects.select_for_update().waiting().filter(pk=item.pk)
            if not waiting.exists():
                return  # skipped meanwhile
            if steps:
                item.firing = firings.enqueue_steps(piece.base, steps, item.batch.urgency)
            else:
                item.result = piece.layers.latest("created")
            item.piece, item.begun = piece, timezone.now()
            item.save(update_fields=["firing", "result", "piece", "begun"])
    except Exception as error:
        words = describe_error(error, f"batch item {item.pk}")
        BatchItem.objects.filter(pk=item.pk).update(error=words, ended=timezone.now())


def _brought_in(item: BatchItem) -> Piece:
    """Return the piece of a file from the batch's folder; imported once, also when a worker died after it.

    It is read in a separate process: nobody has looked at it, and it may be large.
    """
    if not item.stamp:
        raise Refusal("The piece was deleted before its turn came.")

    def read(original: Path, into: Path) -> None:
        read_apart(original, into, settings.IMPORT_LIMITS, lambda progress: None)

    with passing("import") as folder:
        path = folder / "original"
        shutil.copyfile(folders.place_of(item.batch.folder) / item.source, path)
        return library.from_file(
            item.batch.owner_id, path, item.source, read=read, on_saved=partial(_note_piece, item)
        )


def _note_piece(item: BatchItem, piece: Piece) -> None:
    """Note the piece that a file has become, in the transaction that saves it."""
    item.piece = piece
    item.save(update_fields=["piece"])


def steps_for(piece: Piece, treatment: Treatment, suited: SuitedModels | None = None) -> list[Step]:
    """Return what a treatment does with a piece, from its base on.

    Parameters
    ----------
    suited : which models suit which pictures; read for this piece when left out.
    """
    suited = suited or Suited.read()
    schedule = schedule_for(piece, treatment, suited)
    _, refiner = suited.to(Subject(piece.subject), faces=True)
    faces = piece.faces_on(piece.base)
    return list(treatment.steps(schedule, piece.base.size, faces, refiner))


def schedule_for(
    piece: Piece, treatment: Treatment, suited: SuitedModels | None = None
) -> Schedule | None:
    """Return the coats that a treatment has for a piece."""
    own = piece.schedule_by(suited)
    return treatment.schedule_for(Subject(piece.subject), own, piece.how_made)


def settings_for(piece: Piece, asked: AskedFile) -> PrintSettings:
    """Return a print file as a treatment asks for it, of a certain piece."""
    plan = piece.print_plan if asked.on_print else None
    return PrintSettings(asked.settings.output, plan, asked.settings.ppi)


def _order_files(item: BatchItem, layer: Layer) -> None:
    """Have the print files of a picture that is fired written, once."""
    try:
        with transaction.atomic():
            fresh = BatchItem.objects.filter(pk=item.pk, ordered=False)
            if not fresh.update(ordered=True, ended=timezone.now()):
                return
            for asked in item.batch.as_treatment().files:
                made = prints.order(layer, settings_for(layer.piece, asked), asked.pattern)
                item.files.add(made)
    except Exception as error:
        words = describe_error(error, f"files of batch item {item.pk}")
        BatchItem.objects.filter(pk=item.pk).update(error=words, ended=timezone.now())


def _end(batch: Batch) -> None:
    """End a batch once nothing of it is running or expected."""
    if batch.looking or any(item.under_way for item in batch.items.with_all()):
        return
    Batch.objects.filter(pk=batch.pk, ended=None).update(ended=timezone.now())
