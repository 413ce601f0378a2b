"""Backups: a folder of files by their hash, and snapshots that name them.

::

    FOLDER/files/3f/3fa9…            content, once however many snapshots name it
    FOLDER/snapshots/20261201T120000Z/database.dump
    FOLDER/snapshots/20261201T120000Z/manifest.json

A snapshot is complete once its manifest is there, which is written last.
"""

import hashlib
import json
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import IO, Any
from uuid import uuid4

from django.core.files import File
from django.core.files.storage import default_storage
from django.db import connection
from django.db.migrations.recorder import MigrationRecorder
from django.utils import timezone

from enamel.core import ENGINE_VERSION
from enamel.core.errors import Refusal
from enamel.core.files import PARTIAL, hash_of, put_in_place, whole_file
from enamel.maintenance import postgresql
from enamel.maintenance.stored import Source, sources

VERSION = 1
BLOCK = 4 * 2**20
"""Bytes copied in one go."""


@dataclass(frozen=True, slots=True)
class Content:
    """What a file holds: its hash and its length in bytes."""

    sha256: str
    bytes: int


@dataclass(slots=True)
class Manifest:
    """What a snapshot holds."""

    made: str
    engine: str
    migrations: list[str]
    """Migrations that the database has had, as ``app.name``."""
    database: Content
    files: dict[str, Content] = field(default_factory=dict)
    """The files, by `Source`."""
    gone: list[str] = field(default_factory=list)
    """Files that were deleted while the backup was made."""
    derived: bool = True
    """Whether they include files that Enamel can make again."""

    def to_json(self) -> dict[str, Any]:
        return {"version": VERSION, **asdict(self)}

    @classmethod
    def read(cls, path: Path) -> "Manifest":
        """Return a snapshot's manifest; a `Refusal` when it can't be understood."""
        try:
            kept = json.loads(path.read_bytes())
            if kept.pop("version") != VERSION:
                raise Refusal(f"{path} was written by a newer Enamel; restore it with that one.")
            files = {name: Content(**content) for name, content in kept.pop("files").items()}
            return cls(database=Content(**kept.pop("database")), files=files, **kept)
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise Refusal(f"{path} is no manifest of a backup: {error}.") from None


@dataclass(frozen=True, slots=True)
class Backup:
    """A folder that backups are made into."""

    folder: Path

    def snapshots(self) -> list[str]:
        """Return the names of complete snapshots, the oldest first."""
        return sorted(path.parent.name for path in self.folder.glob("snapshots/*/manifest.json"))

    def snapshot(self, name: str = "") -> tuple[Path, Manifest]:
        """Return a snapshot's folder and manifest, the newest where no name is given.

        Raises
        ------
        Refusal
            When it is not there.
        """
        known = self.snapshots()
        if not known or (name and name not in known):
            wanted = f"snapshot {name}" if name else "complete snapshot"
            raise Refusal(f"There is no {wanted} in {self.folder}.")
        place = self.folder / "snapshots" / (name or known[-1])
        return place, Manifest.read(place / "manifest.json")

    def path_of(self, content: Content) -> Path:
        return self.folder / "files" / content.sha256[:2] / content.sha256

    def holds(self, content: Content) -> bool:
        path = self.path_of(content)
        return path.exists() and path.stat().st_size == content.bytes

    def make(self, *, derived: bool = True) -> tuple[str, int]:
        """Back everything up; Enamel may run meanwhile.

        What an earlier snapshot holds already is not copied: stored files never change.

        Parameters
        ----------
        derived : whether files that Enamel can make again are copied, too.

        Returns
        -------
        Name of the snapshot, and how many bytes were copied.
        """
        known = self._known()
        name = timezone.now().strftime("%Y%m%dT%H%M%S%fZ")
        place = self.folder / "snapshots" / name
        place.mkdir(parents=True)
        copied = 0
        with postgresql.exported_snapshot() as snapshot:
            dump = place / "database.dump"
            postgresql.dump(dump, snapshot)
            named = list(sources(derived=derived))
            migrations = sorted(
                ".".join(key) for key in MigrationRecorder(connection).applied_migrations()
            )
        database = Content(hash_of(dump), dump.stat().st_size)
        manifest = Manifest(name, ENGINE_VERSION, migrations, database, derived=derived)
        for source in named:
            try:
                content = known.get(str(source))
                if content is None or source.size() != content.bytes or not self.holds(content):
                    content, written = self._copy(source)
                    copied += content.bytes if written else 0
                manifest.files[str(source)] = content
            except FileNotFoundError:
                manifest.gone.append(str(source))
        with whole_file(place / "manifest.json") as partial:
            partial.write_text(json.dumps(manifest.to_json(), indent=1, ensure_ascii=False))
        return name, copied

    def _known(self) -> dict[str, Content]:
        """Return what the newest snapshot holds of files that never change once stored."""
        if not self.snapshots():
            return {}
        return {
            name: content
            for name, content in self.snapshot()[1].files.items()
            if Source.from_text(name).path is None
        }

    def _copy(self, source: Source) -> tuple[Content, bool]:
        """Copy a file into the backup, unless its content is there; return that, and whether it was not."""
        partial = self.folder / "files" / f"{uuid4().hex}{PARTIAL}"
        partial.parent.mkdir(parents=True, exist_ok=True)
        try:
            with source.open() as file, partial.open("wb") as copy:
                content = _copied(file, copy)
            written = not self.holds(content)
            if written:
                self.path_of(content).parent.mkdir(exist_ok=True)
                put_in_place(partial, self.path_of(content))
        finally:
            partial.unlink(missing_ok=True)
        return content, written

    def damage(self, name: str = "") -> Iterator[str]:
        """Yield a sentence for each file of a snapshot that is missing or altered."""
        place, manifest = self.snapshot(name)
        dump = place / "database.dump"
        if not dump.exists() or hash_of(dump) != manifest.database.sha256:
            yield f"The database of snapshot {place.name} is missing or was altered."
        for source, content in manifest.files.items():
            path = self.path_of(content)
            if not path.exists():
                yield f"{source} is missing."
            elif hash_of(path) != content.sha256:
                yield f"{source} was altered."

    def require_whole(self, source: Source, content: Content) -> None:
        """Refuse when the backup does not hold this file as it was written."""
        path = self.path_of(content)
        if not path.exists() or hash_of(path) != content.sha256:
            raise Refusal(f"{source} is missing in the backup or was altered there.")

    def bring_back(self, source: Source, content: Content) -> None:
        """Put a file of the backup, known to be whole, in its place; an existing file is replaced."""
        path = self.path_of(content)
        if source.path is None:
            default_storage.delete(source.name)
            with path.open("rb") as file:
                default_storage.save(source.name, File(file))
            return
        with (
            whole_file(source.path) as partial,
            path.open("rb") as file,
            partial.open("wb") as copy,
        ):
            _copied(file, copy)


def _copied(file: IO[bytes], copy: IO[bytes]) -> Content:
    """Copy a file to another and return what it held."""
    digest, total = hashlib.sha256(), 0
    while block := file.read(BLOCK):
        digest.update(block)
        copy.write(block)
        total += len(block)
    return Content(digest.hexdigest(), total)
