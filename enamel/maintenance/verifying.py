"""Compare every row with its file and every file with its hash; offer a cure for what is wrong."""

import shutil
import time
import zipfile
from collections.abc import Container, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from django.conf import settings
from django.core.files.storage import default_storage
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.files import PARTIAL, hash_of
from enamel.core.imaging.canvas import Canvas
from enamel.maintenance.backups import Backup, Content
from enamel.maintenance.stored import PICTURES, Reference, Source, references, stored_names
from enamel.storage.copies import local

YOUNG_SECONDS = 3600
"""Files younger than this may lack a row because they are being written."""


class Fault(StrEnum):
    MISSING = "missing"
    ALTERED = "altered"
    ORPHANED = "orphaned"


class Cure(StrEnum):
    """What `repair` does about a finding."""

    BRING_BACK = "it is brought back from the backup"
    MAKE_AGAIN = "it is made again"
    MOVE_ASIDE = "it is moved to var/orphans"
    NONE = "name a backup that holds it with --backup, or delete what it belongs to"


@dataclass(frozen=True, slots=True)
class Finding:
    """A stored file that is not as it should be."""

    fault: Fault
    name: str
    reference: Reference | None = None
    """The row that names the file; None for an orphan."""
    content: Content | None = None
    """The file in the backup, where it is there."""

    @property
    def cure(self) -> Cure:
        if self.reference is None:
            return Cure.MOVE_ASIDE
        if self.content is not None:
            return Cure.BRING_BACK
        return Cure.MAKE_AGAIN if self.reference.derived else Cure.NONE

    @property
    def curable(self) -> bool:
        """Whether `repair` can do something about it."""
        return self.cure is not Cure.NONE

    def __str__(self) -> str:
        return f"{self.fault}: {self.reference or self.name}; {self.cure}"


def verify(backup: Backup | None = None, *, contents: bool = True) -> list[Finding]:
    """Return what is wrong with stored files.

    Parameters
    ----------
    backup : files are also compared with its newest snapshot, where that has them.
    contents : whether the contents of files are checked, too, and not only their presence.
    """
    known = backup.snapshot()[1].files if backup else {}
    named = {one.name: one for one in references()}
    return [*_wrong(named, known, contents), *_orphans(named)]


def _wrong(
    named: Mapping[str, Reference], known: Mapping[str, Content], contents: bool
) -> Iterator[Finding]:
    for name, one in named.items():
        content = known.get(str(Source(PICTURES, name)))
        if not default_storage.exists(name):
            yield Finding(Fault.MISSING, name, one, content)
        elif contents and not _is_whole(one, content):
            yield Finding(Fault.ALTERED, name, one, content)


def _is_whole(one: Reference, content: Content | None) -> bool:
    """Return whether a file has the hash that its row says, and the content that the backup holds."""
    if content is not None:
        return _content_of(one.name) == content
    path = local(default_storage, one.name)
    try:
        if path.suffix == ".zip":
            with zipfile.ZipFile(path) as archive:
                return archive.testzip() is None
        if one.field == "pixels" and hasattr(one.model, "sha256"):
            with Canvas(path) as canvas:
                row = one.model._base_manager.filter(pk=one.pk).values_list("sha256", flat=True)
                return canvas.digest() == row.get()
    except (OSError, ValueError, Refusal, zipfile.BadZipFile):
        return False
    return path.stat().st_size > 0


def _content_of(name: str) -> Content:
    path = local(default_storage, name)
    return Content(hash_of(path), path.stat().st_size)


def _orphans(named: Container[str]) -> Iterator[Finding]:
    for name in stored_names():
        if name in named or name.endswith(PARTIAL):
            continue
        age = time.time() - default_storage.get_modified_time(name).timestamp()
        if age > YOUNG_SECONDS:
            yield Finding(Fault.ORPHANED, name)


def repair(findings: list[Finding], backup: Backup | None = None) -> list[Finding]:
    """Cure what can be cured; return what could not.

    Files come back from the backup, derived ones are made again by workers, and orphans are moved to
    ``var/orphans``, where they can be looked at before they are deleted.
    """
    left = []
    orphans = Path(settings.VAR) / "orphans" / timezone.now().strftime("%Y%m%dT%H%M%SZ")
    for finding in findings:
        reference, content = finding.reference, finding.content
        if reference is None:
            _move(finding.name, orphans)
        elif content is not None and backup is not None:
            source = Source(PICTURES, finding.name)
            backup.require_whole(source, content)
            backup.bring_back(source, content)
        elif reference.derived:
            row = reference.model._base_manager.filter(pk=reference.pk)
            row.update(**dict.fromkeys(reference.model.DERIVED_FILES, ""))  # type: ignore[attr-defined]
        else:
            left.append(finding)
    return left


def _move(name: str, folder: Path) -> None:
    """Move a file out of storage."""
    target = folder / name
    target.parent.mkdir(parents=True, exist_ok=True)
    with default_storage.open(name, "rb") as file, target.open("wb") as copy:
        shutil.copyfileobj(file, copy)
    default_storage.delete(name)
