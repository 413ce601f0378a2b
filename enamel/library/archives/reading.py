"""Read an archive into a new piece."""

import shutil
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from django.conf import settings
from django.db.models.fields.files import FieldFile
from pydantic import ValidationError

from enamel.accounts.quotas import require_space
from enamel.core.errors import Refusal
from enamel.core.export.openraster import MEDIA_TYPE
from enamel.core.geometry import Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.provenance import Provenance
from enamel.core.intake.reading import read_apart
from enamel.core.jsontext import read_json
from enamel.core.limited import OnFraction
from enamel.core.masks import Mask
from enamel.core.printing.layout import PrintPlan
from enamel.core.schedule import MAX_SIDE, Schedule
from enamel.library.archives.contents import (
    FACTS,
    PieceArchive,
    base_file_of,
    file_of,
    hashes_of,
    laid_file_of,
    step_of,
)
from enamel.library.layers import BYTES_PER_PIXEL, add_layer, keep_laid_file
from enamel.library.models import LaidFile, Piece, SavedMask
from enamel.library.queue import enqueue_preparation
from enamel.library.services import from_file
from enamel.storage.files import deleted_on_error
from enamel.storage.scratch import temporary_folder

MOST_JSON_BYTES = 64 * 2**20
MOST_DIRECTORY_BYTES = 2**20
"""Length of an archive's directory: some ten thousand files."""
HEAD_BYTES, END_BYTES = 256, 2**17
"""Bytes at an archive's beginning and end that are read to recognise it."""
BLOCK = 2**20
"""Bytes copied at a time."""


def is_archive(path: Path) -> bool:
    """Return whether a file is a piece's archive, by its first bytes: an OpenRaster file whose second entry
    is `FACTS`.
    """
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
    return head[30:].startswith(b"mimetype" + MEDIA_TYPE.encode()) and FACTS.encode() in head


def _require_few_files(path: Path) -> None:
    """Refuse a ZIP file whose directory is long: reading it takes five times its bytes of memory.

    The end record has the directory's length (APPNOTE.TXT 4.3.16); of files above 4 GB it is in the ZIP64
    end record, whose locator stands before (4.3.14, 4.3.15).
    """
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - END_BYTES))
        end = file.read()
    at = end.rfind(b"PK\x05\x06")
    length = int.from_bytes(end[at + 12 : at + 16], "little")
    if length == 2**32 - 1:
        at = end.rfind(b"PK\x06\x06")
        length = int.from_bytes(end[at + 40 : at + 48], "little")
    if at < 0 or length > MOST_DIRECTORY_BYTES:
        raise Refusal("This archive of a piece is damaged, or has too many files.")


def import_archive(
    owner_id: int,
    path: Path,
    *,
    on_progress: OnFraction = lambda fraction: None,
    on_saved: Callable[[Piece], None] = lambda piece: None,
) -> Piece:
    """Return a new piece from an archive: all of it, or nothing.

    Parameters
    ----------
    on_progress : called with the fraction read, 0…1.
    on_saved : called with the piece within the transaction that saves it.

    Raises
    ------
    Refusal
        When the archive is of a newer version, was altered, or can't be read.
    """
    _require_few_files(path)
    with temporary_folder("import") as folder:
        try:
            with zipfile.ZipFile(path) as archive:
                return _Import(archive, folder, owner_id, on_progress, on_saved).run()
        except (zipfile.BadZipFile, KeyError, EOFError, zlib.error, NotImplementedError) as error:
            raise Refusal(
                "This archive of a piece is damaged: a part is missing or broken. Nothing was imported; "
                "export the piece again."
            ) from error


@dataclass
class _Import:
    """One archive on its way to a piece. Pixels are read into ``folder`` before anything is stored."""

    archive: zipfile.ZipFile
    folder: Path
    owner_id: int
    on_progress: OnFraction
    on_saved: Callable[[Piece], None]

    def run(self) -> Piece:
        facts = self._facts()
        sizes = {layer.sha256: Size(layer.width, layer.height) for layer in facts.layers}
        laid = {one.sha256: Size(one.width, one.height) for one in facts.laid}
        area = sum(size.width * size.height for size in [*sizes.values(), *laid.values()])
        require_space(self.owner_id, 2 * area * BYTES_PER_PIXEL / 1e6, self.folder)
        files = {file_of(sha256): (sha256, size) for sha256, size in sizes.items()}
        files |= {laid_file_of(sha256): (sha256, size) for sha256, size in laid.items()}
        canvases = {}
        for number, (name, (sha256, size)) in enumerate(files.items()):
            canvases[name] = self._canvas(name, sha256, size)
            self.on_progress((number + 1) / (len(files) + 1))
        base = self._extracted(
            base_file_of(facts.base_name), "original", settings.IMPORT_LIMITS.max_bytes
        )
        with deleted_on_error() as stored:
            return from_file(
                self.owner_id, base, facts.base_name,
                on_saved=lambda piece: self._fill(piece, facts, canvases, stored),
            )  # fmt: skip

    def _facts(self) -> PieceArchive:
        """Return what the archive says of the piece, with all settings in it checked."""
        if self.archive.getinfo(FACTS).file_size > MOST_JSON_BYTES:
            raise Refusal("The description of this piece is too long.")
        given = read_json(self.archive.read(FACTS), most=MOST_JSON_BYTES)
        if isinstance(given, dict) and given.get("version") != 1:
            raise Refusal(
                f"This piece was exported by a newer Enamel (version {given.get('version')} of the "
                "format); update this one to import it."
            )
        try:
            facts = PieceArchive.model_validate(given)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(part) for part in first["loc"])
            raise Refusal(f"This archive can't be imported: {place}: {first['msg']}.") from error
        Provenance.from_json(facts.made)
        if facts.schedule is not None:
            Schedule.from_json(facts.schedule)
        if facts.print is not None:
            PrintPlan.from_json(facts.print)
        for mask in facts.masks.values():
            Mask.from_json(mask)
        known = {facts.base_key}
        for layer in facts.layers:
            step_of(layer)
            if layer.parent not in known or layer.content_key in known:
                raise Refusal("This archive can't be imported: its layers are not in their order.")
            known.add(layer.content_key)
        return facts

    def _canvas(self, name: str, sha256: str, size: Size) -> Path:
        """Return the pixels of a PNG in the archive as a canvas's file, once they have their hash."""
        area = size.width * size.height
        png = self._extracted(name, "layer.png", area * BYTES_PER_PIXEL + BLOCK)
        into = self.folder / f"{Path(name).parent.name}-{sha256}.npy"
        limits = replace(
            settings.IMPORT_LIMITS, max_bytes=png.stat().st_size, max_megapixels=area / 1e6 + 1,
            min_side=1, max_side=MAX_SIDE,
        )  # fmt: skip
        read_apart(png, into, limits)
        with Canvas(into) as canvas:
            if canvas.size != size or canvas.digest() != sha256:
                raise Refusal(
                    f"The pixels of {name} are not those of the layer: the archive was altered. Nothing "
                    "was imported."
                )
        return into

    def _extracted(self, name: str, as_name: str, most_bytes: int) -> Path:
        """Return a file of the archive as a local file."""
        entry = self.archive.getinfo(name)
        if entry.file_size > most_bytes:
            raise Refusal(f"{name} in this archive is larger than its picture could be.")
        path = self.folder / as_name
        with self.archive.open(entry) as file, path.open("wb") as copy:
            shutil.copyfileobj(file, copy, BLOCK)
        return path

    def _fill(
        self,
        piece: Piece,
        facts: PieceArchive,
        canvases: Mapping[str, Path],
        stored: list[FieldFile],
    ) -> None:
        """Add everything else to the piece, whose base is saved."""
        if piece.base.content_key != facts.base_key:
            raise Refusal(
                "The base of this piece is read differently here: the archive was altered, or exported by "
                "another version. Nothing was imported."
            )
        for name in ("title", "tags", "mark", "subject", "made", "made_by_model"):
            setattr(piece, name, getattr(facts, name))
        piece.notes = "\n".join([facts.notes, *_differences(facts.models)]).strip()
        piece.schedule_kept, piece.print_kept = facts.schedule, facts.print
        piece.faces_kept, piece.cuts = facts.faces, None
        piece.save()
        layers = {facts.base_key: piece.base}
        last_of = {one.sha256: one.content_key for one in facts.layers}
        for one in facts.layers:
            canvas = canvases[file_of(one.sha256)]
            if one.content_key != last_of[one.sha256]:  # a later layer has the same pixels
                canvas = Path(shutil.copyfile(canvas, self.folder / "copy.npy"))
            layer = add_layer(
                piece, Canvas(canvas), kind=one.kind, parent=layers[one.parent],
                replaces=layers.get(one.replaces or ""), recipe=one.recipe,
                content_key=one.content_key, model=one.model, model_sha256=one.model_sha256,
                seed=one.seed, seconds=one.seconds,
            )  # fmt: skip
            stored.append(layer.pixels)
            layers[one.content_key] = layer
            enqueue_preparation(layer)
        for name, mask in facts.masks.items():
            SavedMask.objects.create(piece=piece, name=name, mask=mask)
        for picture in facts.laid:
            laid = LaidFile(
                piece=piece, name=picture.name, width=picture.width, height=picture.height,
                sha256=picture.sha256,
            )  # fmt: skip
            keep_laid_file(laid, canvases[laid_file_of(picture.sha256)])
            stored.append(laid.pixels)
            laid.save()
        self.on_saved(piece)


def _differences(models: Mapping[str, str]) -> list[str]:
    """Return a sentence for each model that is missing here or has another file."""
    here = hashes_of(set(models))
    missing = sorted(name for name in models if name not in here)
    others = sorted(name for name in here if here[name] != models[name])
    found = [f"The model {name} is not here; choose another one to go on." for name in missing]
    return found + [
        f"The model {name} is another version here than where this piece comes from, so the same settings "
        "give different pixels."
        for name in others
    ]
