"""The workshop's own models: added, switched, deleted."""

from pathlib import Path

from django.contrib.auth.base_user import AbstractBaseUser
from django.core.files import File

from enamel.accounts.audit import record
from enamel.accounts.models import AuditEntry
from enamel.accounts.people import is_administrator
from enamel.catalogue.models import Model, offered
from enamel.core.checkpoints import intake as checkpoints
from enamel.core.errors import Refusal
from enamel.core.networks import intake
from enamel.core.networks.cards import FilesCard
from enamel.core.networks.names import check_name, name_from
from enamel.storage.scratch import temporary_folder, write_upload
from enamel.uploads.models import Upload
from enamel.uploads.services import keep


def add_model(
    path: Path, owner: AbstractBaseUser, *, name: str, summary: str, licence: str
) -> Model:
    """Test a model's file, or a checkpoint's folder, and add it to the models.

    Raises
    ------
    Refusal
        When it can't be run or the name can't be used. Nothing is stored then.
    """
    take = checkpoints.add_model if checkpoints.is_checkpoint_path(path) else intake.add_model
    card = take(path, name, summary=summary, licence=licence)
    model, _ = Model.objects.update_or_create(
        name=card.name, defaults={"added_by_id": owner.pk, "on": True}
    )
    model.card = card
    return model


def receive_model(
    owner: AbstractBaseUser,
    file: File | Path,  # type: ignore[type-arg]
    *,
    name: str,
    summary: str,
    licence: str,
) -> Upload:
    """Store a model's file until a worker has tested it. A file in the workshop's folder stays there.

    Raises
    ------
    Refusal
        When its name can't be used. Nothing is stored then.
    """
    file_name = Path(file.name or "model.onnx").name
    details = {"name": name or name_from(file_name), "summary": summary, "licence": licence}
    check_name(details["name"])
    if isinstance(file, Path):
        details["waiting"] = str(file)
        return keep(owner, None, Upload.Kind.MODEL, file_name, details)
    with temporary_folder("model") as folder:
        path = write_upload(file, folder / "network.onnx")
        return keep(owner, path, Upload.Kind.MODEL, file_name, details)


ADMINISTRATORS_ONLY = "Only an administrator can change this for everybody. Nothing was changed."


def may_change(model: Model, person: AbstractBaseUser) -> bool:
    """Return whether a person may switch or delete a model: who added it, and administrators."""
    return is_administrator(person) or (
        model.added_by_id is not None and model.added_by_id == person.pk
    )


def switch(model: Model, person: AbstractBaseUser, *, on: bool) -> None:
    """Switch a model on or off: only those that are on are offered.

    Raises
    ------
    Refusal
        When the person may not, or it is the last refiner: no coat could be made.
    """
    if not may_change(model, person):
        raise Refusal(ADMINISTRATORS_ONLY)
    if not on and offered().refiners == [model.name]:
        raise Refusal(f"{model.name} is the only refiner that is on; switch another one on first.")
    model.on = on
    model.save(update_fields=["on"])
    action = AuditEntry.Action.MODEL_SWITCHED_ON if on else AuditEntry.Action.MODEL_SWITCHED_OFF
    record(person, action, model.name)


def remove(model: Model, person: AbstractBaseUser) -> None:
    """Delete a model's file and card; files in the artist's own folders stay there.

    A `Refusal` when it ships with Enamel or is another's.
    """
    found = Model.objects.named(model.name)
    if found is None or not found.card.own:
        raise Refusal(f"{model.name} ships with Enamel; it can be switched off, not deleted.")
    if not may_change(model, person):
        raise Refusal(
            f"{model.name} was added by somebody else; they or an administrator can delete it."
        )
    if isinstance(found.card, FilesCard):
        checkpoints.delete(found.card)
    else:
        found.card.file.with_suffix(".json").unlink(missing_ok=True)
        found.card.file.unlink(missing_ok=True)
    model.delete()
    record(person, AuditEntry.Action.MODEL_DELETED, model.name)
