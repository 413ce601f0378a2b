"""Print files: ordered by pages, written by the kiln's chores, let go of after a week."""

import time
from dataclasses import dataclass
from uuid import UUID

from django.conf import settings as site
from django.db.models import F

from enamel.core.errors import Refusal
from enamel.core.geometry import Size
from enamel.core.print.file import FileFormat, Placed, export, require_writable
from enamel.core.print.layout import PrintPlan, native
from enamel.kiln.faults import told
from enamel.kiln.models import Layer, PrintFile
from enamel.kiln.storage.files import keep_file
from enamel.kiln.storage.layers import canvas_of, file_name, require_room, said_of
from enamel.kiln.storage.passing import passing

ATTEMPTS = 3
"""A file at which workers died this often is not tried again."""
TOLD_EVERY = 0.3
"""Seconds between two notes of how far a file is written."""


@dataclass(frozen=True, slots=True)
class Order:
    """What a print file is to be: a layer as it is, at a resolution, or laid on a print."""

    file: FileFormat
    bits: int
    ppi: float
    plan: PrintPlan | None = None

    def lies(self, size: Size) -> tuple[Placed | None, float, Size]:
        """How a layer of that size lies in the file, the file's resolution, and its size.

        On a print the resolution is that which the layer's pixels give there.
        """
        if self.plan is None:
            return None, self.ppi, size
        layout, ppi = native(size, self.plan)
        return Placed(layout, self.plan.edge, self.plan.rgb), ppi, layout.file

    @classmethod
    def from_json(cls, kept: dict[str, object]) -> "Order":
        plan = kept["plan"]
        return cls(
            FileFormat(str(kept["file"])),
            int(str(kept["bits"])),
            float(str(kept["ppi"])),
            PrintPlan.from_json(plan) if plan else None,
        )

    def to_json(self) -> dict[str, object]:
        plan = self.plan.to_json() if self.plan else None
        return {"file": str(self.file), "bits": self.bits, "ppi": self.ppi, "plan": plan}


def order(layer: Layer, wanted: Order) -> PrintFile:
    """A print file that waits, for whose writing a job is wanted.

    Raises
    ------
    Refusal
        When such a file can't be written, or the disk has no room for it.
    """
    _, _, size = wanted.lies(layer.size)
    require_writable(size, wanted.file)
    require_room(size.megapixels * 4 * wanted.bits / 8, site.KILN_WORK)
    return PrintFile.objects.create(
        layer=layer,
        settings=wanted.to_json(),
        name=file_name(layer, wanted.file),
        width=size.width,
        height=size.height,
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
    wanted = Order.from_json(made.settings)
    placed, ppi, _ = wanted.lies(made.layer.size)
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
            canvas, path, ppi=ppi, bits=wanted.bits, file=wanted.file, placed=placed,
            xmp=said_of(made.layer), hear=hear,
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
