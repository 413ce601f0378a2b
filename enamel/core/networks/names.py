"""Names of models."""

import re
from pathlib import Path

from enamel.core.errors import FieldRefusal, require
from enamel.core.networks.cards import cards
from enamel.core.upscaling.resample import FILTERS

NAME = re.compile(r"[a-z0-9][a-z0-9-]{1,39}")


def check_name(name: str) -> None:
    """Refuse a name that is invalid or taken."""
    expected = "2 to 40 small letters, digits and hyphens, a letter or digit first"
    require(NAME.fullmatch(name) is not None, "name", name, expected)
    if name in {*FILTERS, *(card.name for card in cards())}:
        raise FieldRefusal("name", f"There is a model named {name} already. Choose another name.")


def name_from(file_name: str) -> str:
    """Return a model's default name: like its file."""
    return re.sub(r"[^a-z0-9]+", "-", Path(file_name).stem.lower()).strip("-")[:40]
