"""Running batches: submit firings picture by picture, and print files of those that are fired.

The state of a picture follows from its firing. Whenever a worker dies, the next one can go on, and
nothing is made twice.
"""

import logging
import shutil
from contextlib import suppress
from functools import partial

from django.db import transaction
from django.utils import timezone

from enamel.batches import folders
from enamel.batches.models import Batch, BatchItem
from enamel.catalogue.models import Suited, SuitedModels
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.treatment import RequestedFile, Treatment
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
from enamel.storage.scratch import temporary_folder

logger = logging.getLogger(__name__)

AHEAD = 2
"""How many firings of batches wait in the queue, so that no worker is idle."""


def feed() -> None:
    """Submit the next firings and print files of batches, the most urgent first."""
    for batch in Batch.objects.at_work():
        with suppress(Busy), advisory_lock(batch.pk):
            _feed(batch)


def _feed(batch: Batch) -> None:
    if batch.looking:
        try:
            folders.look(batch)
        except (Refusal, OSError) as error:
            logger.warning("batch %s: %s", batch.pk, error)
            batch.looking = batch.watched  # a watched folder may be unavailable for a while
            batch.save(update_fields=["looking"])
    for item in batch.items.fired().filter(ordered=False, error="", skipped=False).with_all():
        if item.fired:
            _order_files(item, item.fired)
    for item in batch.items.waiting()[: _room()]:
        _begin(item)
    if not batch.items.waiting().exists():
        _end(batch)


def _room() -> int:
    """Return how many more firings should be submitted."""
    open_ones = Firing.objects.open().filter(work=Firing.Work.BATCH, piece__deleted_at=None)
    workers = Worker.objects.serving(FIRINGS).count()
    return max(0, max(1, workers) + AHEAD - open_ones.count())


def _begin(item: BatchItem) -> None:
    """Import a picture that is still a file, and submit its firing; or store why that failed."""
    try:
        piece = item.piece or _imported(item)
        if piece.deleted_at is not None:
            raise Refusal("The piece was deleted before its turn came.")
        store.prepare(piece.base)
        treatment = item.batch.as_treatment()
        steps = steps_for(piece, treatment)
        with transaction.atomic():
            # the batch's row is locked, so that a pause comes either before this or after it
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


def _imported(item: BatchItem) -> Piece:
    """Return the piece of a file from the batch's folder. It is imported once, also when a worker died
    after that.
    """
    if not item.stamp:
        raise Refusal("The piece was deleted before its turn came.")

    with temporary_folder("import") as folder:
        path = folder / "original"
        shutil.copyfile(folders.place_of(item.batch.folder) / item.source, path)
        return library.from_file(
            item.batch.owner_id, path, item.source, on_saved=partial(_note_piece, item)
        )


def _note_piece(item: BatchItem, piece: Piece) -> None:
    """Store the piece of a file, in the transaction that saves the piece."""
    item.piece = piece
    item.save(update_fields=["piece"])


def steps_for(piece: Piece, treatment: Treatment, suited: SuitedModels | None = None) -> list[Step]:
    """Return the steps of a treatment for a piece, from its base on.

    Parameters
    ----------
    suited : the suited models; read for this piece when left out.
    """
    suited = suited or Suited.read()
    schedule = schedule_for(piece, treatment, suited)
    _, refiner = suited.to(Subject(piece.subject), faces=True)
    faces = piece.faces_on(piece.base)
    return list(treatment.steps(schedule, piece.base.size, faces, refiner))


def schedule_for(
    piece: Piece, treatment: Treatment, suited: SuitedModels | None = None
) -> Schedule | None:
    """Return the schedule of a treatment for a piece."""
    own = piece.schedule_by(suited)
    return treatment.schedule_for(Subject(piece.subject), own, piece.how_made)


def settings_for(piece: Piece, asked: RequestedFile) -> PrintSettings:
    """Return the settings of a treatment's print file for a piece."""
    plan = piece.print_plan if asked.on_print else None
    return PrintSettings(asked.settings.output, plan, asked.settings.ppi)


def _order_files(item: BatchItem, layer: Layer) -> None:
    """Submit the print files of a picture that is fired, once."""
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
    """End a batch once no picture of it runs, waits or is expected."""
    if batch.looking or any(item.under_way for item in batch.items.with_all()):
        return
    Batch.objects.filter(pk=batch.pk, ended=None).update(ended=timezone.now())
