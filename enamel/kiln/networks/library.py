"""The workshop's own models: taken in, switched, deleted."""

from pathlib import Path

from django.contrib.auth.base_user import AbstractBaseUser

from enamel.core.checkpoints import intake as checkpoints
from enamel.core.errors import Refusal
from enamel.core.networks import intake
from enamel.core.networks.cards import FilesCard
from enamel.kiln.models import Model, offered


def take_in(path: Path, owner: AbstractBaseUser, *, name: str, summary: str, licence: str) -> Model:
    """Try a file, or the folder of a checkpoint, and put it among the models.

    Raises
    ------
    Refusal
        When it can't be run or the name can't be used; nothing is kept then.
    """
    take = checkpoints.take_in if checkpoints.is_for_here(path) else intake.take_in
    card = take(path, name, summary=summary, licence=licence)
    model, _ = Model.objects.update_or_create(
        name=card.name, defaults={"brought_by_id": owner.pk, "on": True}
    )
    model.card = card
    return model


def switch(model: Model, *, on: bool) -> None:
    """Offer a model or no longer. A `Refusal` keeps the last refiner on: coats could not be made."""
    if not on and offered().refiners == [model.name]:
        raise Refusal(f"{model.name} is the only refiner that is on; switch another one on first.")
    model.on = on
    model.save(update_fields=["on"])


def remove(model: Model, person: AbstractBaseUser) -> None:
    """Delete a model's file and card; what lies on the artist's disk stays there.

    A `Refusal` when it ships with Enamel or is another's.
    """
    found = Model.objects.named(model.name)
    if found is None or not found.card.own:
        raise Refusal(f"{model.name} ships with Enamel; it can be switched off, not deleted.")
    if model.brought_by_id not in (None, person.pk):
        raise Refusal(f"{model.name} was brought in by somebody else, who alone can delete it.")
    if isinstance(found.card, FilesCard):
        checkpoints.forget(found.card)
    else:
        found.card.file.with_suffix(".json").unlink(missing_ok=True)
        found.card.file.unlink(missing_ok=True)
    model.delete()
