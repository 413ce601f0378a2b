"""Shortcuts of the studio: what each does, its usual key, and how keys are changed.

Plain letters and signs only, never with Ctrl, Alt or Meta, so that nothing of the browser's is taken;
they rest while a field is being written in.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from enamel.core.errors import FieldRefusal


@dataclass(frozen=True, slots=True)
class Shortcut:
    """One thing that a key does. ``where`` is the page it works on."""

    action: str
    words: str
    key: str
    where: str


SHORTCUTS = (
    Shortcut("sheet", "Show or hide this sheet", "?", "everywhere"),
    Shortcut("mark-keep", "Mark keep", "y", "pieces"),
    Shortcut("mark-maybe", "Mark maybe", "h", "pieces"),
    Shortcut("mark-drop", "Mark drop", "n", "pieces"),
    Shortcut("search", "Go to the search", "/", "pieces"),
    Shortcut("fit", "Picture: fit", "0", "workspace"),
    Shortcut("zoom-half", "Picture: 50 %", "5", "workspace"),
    Shortcut("zoom-whole", "Picture: 100 %", "1", "workspace"),
    Shortcut("zoom-double", "Picture: 200 %", "2", "workspace"),
    Shortcut("zoom-print", "Picture: print size on this screen", "p", "workspace"),
    Shortcut("grid", "Show or hide the tiles of the coat in hand", "t", "workspace"),
    Shortcut("rulers", "Show or hide the rulers", "r", "workspace"),
    Shortcut("lighter", "Surround lighter", "]", "workspace"),
    Shortcut("darker", "Surround darker", "[", "workspace"),
    Shortcut("section", "Go to the section", "s", "workspace"),
    Shortcut("undo", "Undo the last change of a setting", "u", "workspace"),
    Shortcut("redo", "Redo it", "U", "workspace"),
    Shortcut("swatch", "Go to “Make swatches”", "w", "workspace"),
    Shortcut("fire", "Go to the fire button", "f", "workspace"),
)


def keys_of(changed: Mapping[str, str]) -> list[tuple[Shortcut, str]]:
    """Every shortcut with its key: the artist's own, else the usual one."""
    return [(shortcut, changed.get(shortcut.action, shortcut.key)) for shortcut in SHORTCUTS]


def checked(wanted: Mapping[str, str]) -> dict[str, str]:
    """The keys that differ from the usual ones, once all are single signs and no two clash.

    Raises
    ------
    FieldRefusal
        Naming the action whose key can't be used.
    """
    taken: dict[tuple[str, str], Shortcut] = {}
    changed = {}
    for shortcut in SHORTCUTS:
        key = wanted.get(shortcut.action, "").strip() or shortcut.key
        if len(key) != 1 or not key.isprintable() or key == " ":
            raise FieldRefusal(shortcut.action, f"“{key}” can't be used; give one letter or sign.")
        places = [shortcut.where] if shortcut.where != "everywhere" else ["pieces", "workspace"]
        for place in places:
            other = taken.setdefault((place, key), shortcut)
            if other is not shortcut:
                raise FieldRefusal(
                    shortcut.action, f"“{key}” is taken by “{other.words}”; choose another."
                )
        if key != shortcut.key:
            changed[shortcut.action] = key
    return changed
