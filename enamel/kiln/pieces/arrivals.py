"""Files on their way in: small pictures are read at once, large ones and models by the kiln's chores."""

import shutil
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.core.files import File
from django.db import transaction
from django.db.models import F

from enamel.core.errors import Refusal
from enamel.core.intake.pixels import examine
from enamel.core.intake.reading import read_apart
from enamel.core.networks.names import check_name, name_from
from enamel.kiln.faults import describe_error, require_some_room, waiting_for_room
from enamel.kiln.models import Arrival, Piece
from enamel.kiln.networks import library
from enamel.kiln.pieces import bringing
from enamel.kiln.queueing import enqueue_arrival
from enamel.kiln.storage.passing import passing, stored

AT_ONCE_MEGAPIXELS = 24.0
"""Pictures up to this are read while the browser waits: it takes a second or two."""
ATTEMPTS = 3
"""A file at which workers died this often is not tried again."""


def place_of(arrival: Arrival) -> Path:
    """Where the file lies until it is done with."""
    return (
        Path(settings.KILN_WORK) / "arrivals" / f"{arrival.pk}{Path(arrival.name).suffix.lower()}"
    )


def receive_picture(owner: AbstractBaseUser, upload: File, name: str) -> Piece | Arrival:  # type: ignore[type-arg]
    """A piece from a picture file, or for a large one an arrival, which a worker reads.

    Raises
    ------
    Refusal
        When the file can't be used; nothing is kept then.
    """
    with passing("import") as folder:
        path = stored(upload, folder / "original")
        facts = examine(path, settings.IMPORT_LIMITS)
        if facts.size.megapixels <= AT_ONCE_MEGAPIXELS:
            return bringing.from_file(owner.pk, path, name, facts=facts)
        return _keep(owner, path, Arrival.Kind.PICTURE, name)


def receive_network(
    owner: AbstractBaseUser,
    upload: File | Path,  # type: ignore[type-arg]
    *,
    name: str,
    summary: str,
    licence: str,
) -> Arrival:
    """An arrival of a model's file, which a worker tries; a file of the folder stays there.

    Raises
    ------
    Refusal
        When its name can't be used; nothing is kept then.
    """
    file_name = Path(upload.name or "model.onnx").name
    words = {"name": name or name_from(file_name), "summary": summary, "licence": licence}
    check_name(words["name"])
    with passing("model") as folder:
        if isinstance(upload, Path):
            words["waiting"] = str(upload)
            return _keep(owner, None, Arrival.Kind.NETWORK, file_name, words)
        path = stored(upload, folder / "network.onnx")
        return _keep(owner, path, Arrival.Kind.NETWORK, file_name, words)


def _keep(
    owner: AbstractBaseUser,
    path: Path | None,
    kind: str,
    name: str,
    words: dict[str, str] | None = None,
) -> Arrival:
    arrival = Arrival(owner_id=owner.pk, kind=kind, name=name[-255:], words=words or {})
    if path is not None:
        place = place_of(arrival)
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(path, place)
    with transaction.atomic():
        arrival.save()
        enqueue_arrival(arrival)
    return arrival


def carry_out(arrival_id: UUID) -> Arrival | None:
    """Read or try a file that waits. Safe to repeat; None when there is nothing to do."""
    open_ones = Arrival.objects.filter(pk=arrival_id).open()
    if not open_ones.update(state=Arrival.State.WORKING, share=0, tries=F("tries") + 1, error=""):
        return None
    arrival = Arrival.objects.select_related("owner").get(pk=arrival_id)
    try:
        if arrival.tries > ATTEMPTS:
            raise Refusal(
                "The kiln broke off several times at this file, most likely for lack of memory."
            )
        require_some_room()
        if arrival.kind == Arrival.Kind.PICTURE:
            _read(arrival)
        else:
            _try(arrival)
            _end(arrival, Arrival.State.DONE)
    except Exception as error:
        mine = Arrival.objects.filter(pk=arrival.pk)
        with waiting_for_room(mine, state=Arrival.State.WAITING, tries=F("tries") - 1):
            words = describe_error(error, f"arrival {arrival.pk}")
        _end(arrival, Arrival.State.REFUSED, error=words)
    place_of(arrival).unlink(missing_ok=True)
    return arrival


def _read(arrival: Arrival) -> None:
    """Make a piece of a picture; the piece and the end of the arrival are one change."""

    def hear(share: float) -> None:
        Arrival.objects.filter(pk=arrival.pk).update(share=share)

    with passing("import") as folder:
        path = folder / "original"
        shutil.copyfile(place_of(arrival), path)

        def read(original: Path, into: Path) -> None:
            read_apart(original, into, settings.IMPORT_LIMITS, hear)

        def end(piece: Piece) -> None:
            if not _end(arrival, Arrival.State.DONE, piece=piece):
                raise Refusal("This file was deleted, or read by another worker, meanwhile.")

        bringing.from_file(arrival.owner_id, path, arrival.name, read=read, on_saved=end)


def _try(arrival: Arrival) -> None:
    words = dict(arrival.words)
    path = Path(words.pop("waiting")) if "waiting" in words else place_of(arrival)
    library.add_model(path, arrival.owner, **words)


def _end(arrival: Arrival, state: str, *, error: str = "", piece: Piece | None = None) -> bool:
    """End an arrival, unless it was deleted or another worker ended it meanwhile; whether it did."""
    known = Arrival.objects.filter(pk=arrival.pk).open()
    return bool(known.update(state=state, error=error, piece=piece))


def delete(arrival: Arrival) -> None:
    """Delete a file that waits or was rejected; dismiss the notice of a finished one."""
    if arrival.state == Arrival.State.WORKING:
        raise Refusal(f"{arrival.name} is just being read; wait until that has ended.")
    place_of(arrival).unlink(missing_ok=True)
    arrival.delete()
