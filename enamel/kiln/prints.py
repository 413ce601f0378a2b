"""Print files: ordered by pages, written by the kiln's chores, let go of after a week."""

import time
from dataclasses import dataclass
from uuid import UUID

import pyvips
from django.conf import settings as site
from django.db.models import F
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.geometry import Size
from enamel.core.print.file import estimated_bytes, export, laid, require_writable
from enamel.core.print.naming import USUAL, Facts, named
from enamel.core.print.output import PrintSettings
from enamel.core.print.paper import reason
from enamel.core.print.profiles import Space, converted, profile_of, total_ink
from enamel.kiln.faults import told
from enamel.kiln.models import Layer, PrintFile
from enamel.kiln.storage.files import keep_file
from enamel.kiln.storage.layers import canvas_of, require_room, said_of
from enamel.kiln.storage.overviews import overview_of
from enamel.kiln.storage.passing import passing

ATTEMPTS = 3
"""A file at which workers died this often is not tried again."""
TOLD_EVERY = 0.3
"""Seconds between two notes of how far a file is written."""


def order(layer: Layer, wanted: PrintSettings, pattern: str = USUAL) -> PrintFile:
    """A print file that waits, for whose writing a job is wanted.

    Parameters
    ----------
    pattern : of its name, see `enamel.core.print.naming`; no two files of a piece have the same.

    Raises
    ------
    Refusal
        When such a file can't be written, or the disk has no room for it.
    """
    size = laid(wanted, layer.size)[2]
    require_writable(size, wanted.output.file)
    require_room(size.megapixels * 4 * wanted.output.bits / 8, site.KILN_WORK)
    return PrintFile.objects.create(
        layer=layer,
        settings=wanted.to_json(),
        name=named(pattern, facts_of(layer, wanted), wanted.output, _taken(layer)),
        width=size.width,
        height=size.height,
    )


@dataclass(frozen=True, slots=True)
class Foretold:
    """What a print file will be."""

    size: Size
    ppi: float
    name: str
    bytes: int
    sharpening: str
    """What is done for the paper, and why."""
    ink: float | None
    """The most ink on one place, in per cent; None where the file holds no inks."""


def foretold(layer: Layer, wanted: PrintSettings, pattern: str) -> Foretold:
    """What a print file of a layer will be.

    Raises
    ------
    Refusal
        When such a file can't be written.
    """
    _, ppi, size = laid(wanted, layer.size)
    output = wanted.output
    require_writable(size, output.file)
    with canvas_of(layer) as canvas:
        weighs = estimated_bytes(canvas, size, output, ppi)
    ink = None
    profile = profile_of(output.profile)
    if profile.space is Space.CMYK and layer.surveyed:
        cells = pyvips.Image.new_from_array(overview_of(layer).cells, interpretation="rgb16")
        ink = total_ink(converted(cells, profile, output.intent, output.black_point, 8))
    name = named(pattern, facts_of(layer, wanted), output, _taken(layer))
    return Foretold(size, ppi, name, weighs, reason(output.paper, ppi), ink)


def _taken(layer: Layer) -> frozenset[str]:
    """Names that files of the piece have already."""
    files = PrintFile.objects.filter(layer__piece=layer.piece)
    return frozenset(files.values_list("name", flat=True))


def facts_of(layer: Layer, wanted: PrintSettings) -> Facts:
    """What names of a layer's files can hold."""
    _, ppi, size = laid(wanted, layer.size)
    print_mm = wanted.plan.target if wanted.plan else None
    return Facts(
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


def write(print_id: UUID) -> None:
    """Write a file that waits. Safe to repeat."""
    if not (
        PrintFile.objects.filter(pk=print_id)
        .open()
        .update(state=PrintFile.State.WORKING, share=0, tries=F("tries") + 1)
    ):
        return
    made = PrintFile.objects.select_related("layer__piece").get(pk=print_id)
    try:
        if made.tries > ATTEMPTS:
            raise Refusal(
                "The kiln broke off several times at this file, most likely for lack of memory."
            )
        _write(made)
    except Exception as error:
        words = told(error, f"print file {print_id}")
        PrintFile.objects.filter(pk=print_id).update(state=PrintFile.State.FAILED, error=words)


def _write(made: PrintFile) -> None:
    wanted = PrintSettings.from_json(made.settings)
    placed, ppi, _ = laid(wanted, made.layer.size)
    mine = PrintFile.objects.filter(pk=made.pk)
    heard = 0.0

    def hear(share: float) -> None:
        nonlocal heard
        if time.monotonic() - heard > TOLD_EVERY:
            heard = time.monotonic()
            mine.update(share=share)

    with passing("print") as folder, canvas_of(made.layer) as canvas:
        path = folder / "file"
        export(
            canvas, path, ppi=ppi, output=wanted.output, placed=placed,
            says=said_of(made.layer, preview=wanted.output.preview), hear=hear,
        )  # fmt: skip
        keep_file(made.file, path, str(made.pk))
    if not mine.update(file=made.file.name, state=PrintFile.State.DONE, share=1):
        made.file.delete(save=False)  # let go of meanwhile


def let_go(made: PrintFile) -> None:
    """Delete a print file; one that is being written is deleted at its end."""
    file = made.file
    made.delete()
    if file:
        file.storage.delete(file.name)


def let_go_outlived() -> None:
    """Delete the print files that were kept long enough."""
    for made in PrintFile.objects.outlived():
        let_go(made)
