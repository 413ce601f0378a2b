"""Keep uploads until a worker reads them, and dismiss them."""

import shutil
from pathlib import Path

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser

from enamel.core.errors import Refusal
from enamel.jobs import services as jobs
from enamel.uploads.models import Upload


def path_of(upload: Upload) -> Path:
    """Return where an upload's file is until it has been read."""
    suffix = Path(upload.name).suffix.lower()
    return Path(settings.KILN_WORK) / "uploads" / f"{upload.pk}{suffix}"


def keep(
    owner: AbstractBaseUser,
    path: Path | None,
    kind: str,
    name: str,
    details: dict[str, str] | None = None,
) -> Upload:
    """Store a file, which moves, and have a worker read it.

    Parameters
    ----------
    path : the file; None when the details say where it is, and it stays there.
    """
    upload = Upload(owner_id=owner.pk, kind=kind, name=name[-255:], details=details or {})
    if path is not None:
        kept = path_of(upload)
        kept.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(path, kept)
    jobs.submit(upload)
    return upload


def delete(upload: Upload) -> None:
    """Delete an upload that is waiting or was rejected; dismiss the notice of a finished one."""
    if upload.state == Upload.State.RUNNING:
        raise Refusal(f"{upload.name} is being read; wait until that has ended.")
    path_of(upload).unlink(missing_ok=True)
    upload.delete()


def delete_files_of(sender: object, account: AbstractBaseUser, **_: object) -> None:
    """Delete the files of uploads whose account is about to be deleted."""
    for upload in Upload.objects.filter(owner_id=account.pk):
        path_of(upload).unlink(missing_ok=True)
