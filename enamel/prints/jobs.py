"""Write, publish and delete print files, in workers."""

import time
from contextlib import ExitStack
from pathlib import Path
from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from enamel.core.errors import Refusal, Stopped
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.export.progress import OnFraction
from enamel.core.geometry import Size
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.running import Stopping, carries_out
from enamel.jobs.tasks import task
from enamel.library.layers import canvas_of, metadata_of
from enamel.prints import services, strips
from enamel.prints.layered import stack_of
from enamel.prints.models import PrintFile
from enamel.prints.strips import Strip
from enamel.storage.files import keep_file
from enamel.storage.scratch import temporary_folder
from enamel.swatches.models import SwatchSheet

PROGRESS_EVERY = 0.3
"""Seconds between two updates of a file's progress."""


@carries_out(PrintFile)
def write(made: PrintFile, stopping: Stopping) -> None:
    """Write a print file.

    Raises
    ------
    Stopped
        When it was deleted meanwhile.
    """
    wanted = PrintSettings.from_json(made.settings)
    placed, ppi, _ = laid(wanted, made.layer.size)
    received = 0.0

    def on_progress(progress: float) -> None:
        nonlocal received
        if time.monotonic() - received > PROGRESS_EVERY:
            received = time.monotonic()
            if stopping() or not made.record(progress=progress):
                raise Stopped

    with ExitStack() as stack:
        path = stack.enter_context(temporary_folder("print")) / "file"
        if made.strip:
            size = _write_strip(made, wanted, path, on_progress)
            made.record(width=size.width, height=size.height)
            _keep(made, path, "")
            return
        canvas = stack.enter_context(canvas_of(made.layer))
        layered = wanted.output.file is FileFormat.OPENRASTER
        layers = stack.enter_context(stack_of(made.layer)) if layered else []
        note = export(
            canvas, path, ppi=ppi, output=wanted.output, placed=placed,
            says=metadata_of(made.layer, preview=wanted.output.preview), stack=layers,
            on_progress=on_progress,
        )  # fmt: skip
        _keep(made, path, note)


def _write_strip(
    made: PrintFile, wanted: PrintSettings, path: Path, on_progress: OnFraction
) -> Size:
    """Write a test strip, or a sheet of swatches; return its size in px."""
    held: dict[str, Any] = made.strip or {}
    if services.SHEET not in held:
        return strips.write(made.layer, Strip.from_json(held), wanted, path, on_progress)
    sheet = SwatchSheet.objects.filter(pk=held[services.SHEET]).first()
    if sheet is None:
        raise Refusal("These swatches were deleted meanwhile.")
    return strips.write_sheet(sheet, path, wanted.output, wanted.ppi, on_progress)


def _keep(made: PrintFile, path: Path, note: str) -> None:
    """Put a written file into storage, unless it was deleted meanwhile."""
    keep_file(made.file, path, str(made.pk))
    if not made.finish(file=made.file.name, note=note):
        made.file.delete(save=False)


@task(MAINTENANCE, "Copying a print file into the workshop's folder")
def publish(print_id: str) -> None:
    """Copy a written file into the workshop's folder, or store with the file why that failed."""
    made = PrintFile.objects.filter(pk=UUID(print_id), state=PrintFile.State.DONE).first()
    if made is not None:
        services.publish_and_note(made)


@app.periodic(cron="27 4 * * *")
@task(MAINTENANCE, "Deleting old print files")
def delete_expired(timestamp: int) -> None:
    """Delete print files whose time has passed. Once a day."""
    services.delete_expired()
