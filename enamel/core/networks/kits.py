"""Pin what a checkpoint is used with to the present files."""

from dataclasses import replace

from enamel.core.errors import FieldRefusal
from enamel.core.networks.cards import FilesCard, cards
from enamel.core.schedule import Adapter, Kit


def kit_of(model: str, adapters: tuple[Adapter, ...], guide: str, vae: str) -> Kit | None:
    """Return a kit with the hashes of its files, so that a schedule means the same on another machine.

    Parameters
    ----------
    model : name of the refiner; where it is no checkpoint the kit is kept and changes nothing.

    Raises
    ------
    FieldRefusal
        When one of its parts is not available.
    """
    own = {(card.kind, card.name): card.sha256 for card in cards() if isinstance(card, FilesCard)}
    if ("refiner", model) not in own and not (adapters or guide or vae):
        return None

    def hash_of(kind: str, name: str, field: str) -> str:
        if (kind, name) not in own:
            known = ", ".join(other for of, other in own if of == kind) or "none"
            raise FieldRefusal(field, f"There is no {kind} named {name!r}. Known: {known}.")
        return own[kind, name]

    return Kit(
        own.get(("refiner", model), ""),
        tuple(replace(one, sha256=hash_of("adapter", one.name, "adapters")) for one in adapters),
        guide,
        hash_of("guide", guide, "structure_guide") if guide else "",
        vae,
        hash_of("vae", vae, "vae") if vae else "",
    )
