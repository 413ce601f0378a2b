"""What the current refiner can do, and facts about a checkpoint."""

from typing import Any

from enamel.core.checkpoints import devices
from enamel.core.checkpoints.intake import vocabulary_of
from enamel.core.checkpoints.prompts import counted
from enamel.core.diffusion.sigmas import Spacing
from enamel.core.errors import Refusal
from enamel.core.networks.cards import CheckpointCard, card, spec_of
from enamel.core.schedule import Kit, Refine
from enamel.firings.forms.refine import RefineFields


def abilities(refine: Refine | None) -> str:
    """Return the abilities of a refiner, as the names by which fields are shown or hidden."""
    if refine is None:
        return ""
    spec = spec_of(refine)
    own = isinstance(card(refine.model, "refiner"), CheckpointCard)
    found = {
        f"holding-{spec.holding}": True,
        "restores-detail": spec.restores_detail,
        "vocabulary": bool(spec.vocabulary),
        "kit": own,
    }
    return " ".join(word for word, has in found.items() if has)


def checkpoint_facts(refine: Refine | None) -> dict[str, Any] | None:
    """Return facts about a checkpoint for the panel of its coat; None for other refiners."""
    entry = card(refine.model, "refiner") if refine else None
    if refine is None or not isinstance(entry, CheckpointCard):
        return None
    found, tile = entry.checkpoint, int(entry.facts["refiner"]["native_tile"])
    vocabulary = vocabulary_of(entry.name)
    count = None
    if devices.installed() and vocabulary.exists():
        count = counted(refine.prompt, vocabulary, int(found["room"]))
    return {
        "count": count,
        "tile": tile,
        "other_tile": tuple(refine.tile) != (tile, tile),
        "few_steps": found["few_steps"],
        "many_steps": found["few_steps"]
        and (
            refine.steps > 2 * found["few_steps"]
            or refine.guided
            or refine.spacing is not Spacing.OWN
        ),
        "drift": found["drift"]["rms"],
        "missing": "" if devices.installed() else devices.WITHOUT,
    }


def abilities_in(form: RefineFields) -> str:
    """Return the abilities of the refiner chosen in a form, valid or not."""
    guide = form["structure_guide"].value() or ""
    refine = Refine(model=str(form["model"].value()), kit=Kit(guide=guide) if guide else None)
    try:
        return abilities(refine)
    except Refusal:
        return ""
