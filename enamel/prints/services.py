"""Submit print files, predict them, publish and delete them."""

import os
import shutil
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from django.conf import settings as site
from django.core.cache import cache
from django.utils import timezone

from enamel.accounts.quotas import require_space
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.export.file import estimated_bytes, require_writable
from enamel.core.export.naming import USUAL, NameFields, named
from enamel.core.export.output import UNPRINTED, FileFormat, Output, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.fields import to_json
from enamel.core.files import PARTIAL, settle
from enamel.core.geometry import Size
from enamel.core.printing.panels import panels
from enamel.core.printing.paper import reason
from enamel.core.printing.preflight import Notice, preflight
from enamel.core.schedule import content_key
from enamel.jobs import services as jobs
from enamel.jobs.errors import describe_error
from enamel.library.layers import canvas_of
from enamel.library.models import Layer
from enamel.prints import strips
from enamel.prints.models import PrintFile
from enamel.prints.proofing import known_of
from enamel.prints.strips import Strip
from enamel.storage.copies import COPIED
from enamel.swatches.models import SwatchSheet

REMEMBERED_SECONDS = 24 * 3600
"""How long the predicted bytes of a file are remembered."""
SHEET = "sheet"
"""Key in a print file's strip for the sheet of swatches that it shows."""


def order(layer: Layer, wanted: PrintSettings, pattern: str = USUAL) -> PrintFile:
    """Submit a print file of a layer.

    Parameters
    ----------
    pattern : pattern of its name, see `enamel.core.export.naming`. No two files of a piece get the same name.

    Raises
    ------
    Refusal
        When such a file can't be written, or the disk has no room for it.
    """
    size = laid(wanted, layer.size)[2]
    require_writable(size, wanted.output.file)
    layers = len(layer.chain) + 1 if wanted.output.file is FileFormat.OPENRASTER else 1
    needed_mb = layers * size.megapixels * 4 * wanted.output.bits / 8
    require_space(layer.piece.owner_id, needed_mb, site.KILN_WORK)
    return _submitted(
        layer=layer,
        settings=wanted.to_json(),
        name=named(pattern, facts_of(layer, wanted), wanted.output, _taken(layer), wanted.suffix),
        width=size.width,
        height=size.height,
    )


def order_strip(
    layer: Layer, strip: Strip, wanted: PrintSettings, pattern: str = USUAL
) -> PrintFile:
    """Submit a print file of a test strip.

    Raises
    ------
    Refusal
        When it can't be made, see `strips.require_possible`, or not as this kind of file.
    """
    if wanted.output.file in UNPRINTED:
        raise FieldRefusal(
            "format", f"{wanted.output.file.label} holds no strip; choose TIFF or PDF."
        )
    size = strips.require_possible(layer, strip, wanted)
    named_as = facts_of(layer, wanted)
    described = replace(named_as, layer="strip", width=size.width, height=size.height)
    return _submitted(
        layer=layer,
        settings=wanted.to_json(),
        strip=to_json(strip),
        name=named(pattern, described, wanted.output, _taken(layer)),
        width=size.width,
        height=size.height,
    )


def _submitted(**facts: Any) -> PrintFile:
    """Save and submit a print file."""
    made = PrintFile(**facts)
    jobs.submit(made)
    return made


def order_sheet(sheet: SwatchSheet, file: FileFormat) -> PrintFile:
    """Submit a print file of a swatch sheet, as one labelled picture at the resolution of the current
    print.
    """
    piece = sheet.piece
    wanted = PrintSettings(Output(file), None, piece.print_plan.target.ppi)
    return _submitted(
        layer=sheet.start,
        settings=wanted.to_json(),
        strip={SHEET: str(sheet.pk)},
        name=named("{title}-swatches", NameFields(piece.title), wanted.output, _taken(sheet.start)),
        width=sheet.box.width,
        height=sheet.box.height,
    )


@dataclass(frozen=True, slots=True)
class PrintFilePrediction:
    """What a print file will be like."""

    size: Size
    ppi: float
    name: str
    bytes: int | None
    """About how large in bytes; None where that can't be predicted."""
    sharpening: str
    """What is done for the paper, and why."""
    sheets: int
    """Number of sheets that it is tiled onto."""
    notices: list[Notice]
    """Notices about the print."""


def predicted(layer: Layer, wanted: PrintSettings, pattern: str) -> PrintFilePrediction:
    """Return what a print file of a layer will be like.

    Raises
    ------
    Refusal
        When such a file can't be written.
    """
    _, ppi, size = laid(wanted, layer.size)
    output = wanted.output
    require_writable(size, output.file)
    name = named(pattern, facts_of(layer, wanted), output, _taken(layer), wanted.suffix)
    plan = wanted.laid_on
    sheets = len(panels(size, ppi, plan.split)) if plan else 1
    return PrintFilePrediction(
        size, ppi, name, _weighs(layer, wanted, size, ppi), reason(output.paper, ppi), sheets,
        preflight(known_of(layer, wanted)),
    )  # fmt: skip


def _weighs(layer: Layer, wanted: PrintSettings, size: Size, ppi: float) -> int | None:
    """Return about how many bytes a file will have.

    Parts of the layer are written as a trial, so the result is remembered.
    """
    output = wanted.output
    if output.file is FileFormat.SVG:
        return None
    times = 1
    if output.file is FileFormat.OPENRASTER:
        output, times = replace(output, file=FileFormat.PNG), len(layer.chain) + 1
    key = f"weighs-{content_key(layer.sha256, to_json(output), list(size), ppi)}"
    known: int | None = cache.get(key)
    if known is None:
        with canvas_of(layer) as canvas:
            known = estimated_bytes(canvas, size, output, ppi)
        cache.set(key, known, REMEMBERED_SECONDS)
    return times * known


def _taken(layer: Layer) -> frozenset[str]:
    """Return the names that files of the piece have already."""
    files = PrintFile.objects.filter(layer__piece=layer.piece)
    return frozenset(files.values_list("name", flat=True))


def facts_of(layer: Layer, wanted: PrintSettings) -> NameFields:
    """Return the facts that names of a layer's files can contain."""
    _, ppi, size = laid(wanted, layer.size)
    print_mm = wanted.plan.target if wanted.plan else None
    return NameFields(
        title=layer.piece.title,
        layer=layer.get_kind_display().lower(),
        width=size.width,
        height=size.height,
        ppi=round(ppi),
        paper=f"{print_mm.width_mm:.0f}x{print_mm.height_mm:.0f}mm" if print_mm else "",
        profile=wanted.output.profile,
        seed="" if layer.seed is None else str(layer.seed),
        date=timezone.localdate().isoformat(),
    )


def delete(made: PrintFile) -> None:
    """Delete a print file. If it is being written, that ends within a moment."""
    file = made.file
    made.delete()
    if file:
        file.storage.delete(file.name)


def delete_expired() -> None:
    """Delete the print files whose time has passed."""
    for made in PrintFile.objects.expired():
        delete(made)


def publish(made: PrintFile) -> str:
    """Copy a written file into the workshop's folder; existing files are never replaced.

    Returns
    -------
    The copy's name.

    Raises
    ------
    Refusal
        When there is no such folder, or it is not writable.
    """
    folder = site.PRINT_FOLDER
    if folder is None:
        raise Refusal("The workshop names no folder for files; set ENAMEL_PRINT_FOLDER.")
    stem, suffix = Path(made.name).stem, Path(made.name).suffix
    partial = folder / f".{made.pk}{PARTIAL}"
    target, number = folder / made.name, 2
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with made.file.open("rb") as file, partial.open("wb") as copy:
            shutil.copyfileobj(file, copy, COPIED)
        settle(partial)
        while True:
            try:
                # unlike a rename, it fails where a file of that name has just appeared
                os.link(partial, target)
                break
            except FileExistsError:
                target, number = folder / f"{stem}-{number}{suffix}", number + 1
        partial.unlink()
    except OSError as error:
        with suppress(OSError):
            partial.unlink()
        reason = error.strerror or str(error)
        raise Refusal(f"{made.name} could not be put into {folder}: {reason}.") from None
    return target.name


def publish_and_note(made: PrintFile) -> None:
    """Copy a written file into the workshop's folder, and store the result with the file."""
    try:
        words = f"Put into {site.PRINT_FOLDER} as {publish(made)}."
    except Exception as error:
        words = describe_error(error, f"publishing {made.pk}")
    PrintFile.objects.filter(pk=made.pk).update(note=words)
