"""Keyboard shortcuts: what each does, its default key, and how keys are changed.

Only single letters and signs, never with Ctrl, Alt or Meta, so that the browser's own shortcuts keep
working. They are off while the focus is in a text field.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from enamel.core.errors import FieldRefusal


@dataclass(frozen=True, slots=True)
class Shortcut:
    """One action with a key. ``where`` is the page it works on."""

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
    Shortcut("fit", "Fit", "0", "picture"),
    Shortcut("zoom-half", "50 %", "5", "picture"),
    Shortcut("zoom-whole", "100 %", "1", "picture"),
    Shortcut("zoom-double", "200 %", "2", "picture"),
    Shortcut("zoom-print", "Print size on this screen", "p", "picture"),
    Shortcut("grid", "Show or hide the tiles of the current coat", "t", "workspace"),
    Shortcut("rulers", "Show or hide the rulers", "r", "workspace"),
    Shortcut("lighter", "Surround lighter", "]", "picture"),
    Shortcut("darker", "Surround darker", "[", "picture"),
    Shortcut("section", "Go to the section", "s", "workspace"),
    Shortcut("undo", "Undo the last change of a setting", "u", "workspace"),
    Shortcut("redo", "Redo it", "U", "workspace"),
    Shortcut("swatch", "Go to “Make swatches”", "w", "workspace"),
    Shortcut("fire", "Go to the fire button", "f", "workspace"),
    Shortcut("compare", "Compare layers and swatches", "c", "workspace"),
    Shortcut("tool-brush", "Mask: brush", "b", "workspace"),
    Shortcut("tool-eraser", "Mask: eraser", "e", "workspace"),
    Shortcut("tool-lasso", "Mask: lasso", "l", "workspace"),
    Shortcut("tool-ellipse", "Mask: ellipse", "o", "workspace"),
    Shortcut("tool-box", "Mask: box", "x", "workspace"),
    Shortcut("brush-smaller", "Mask: smaller brush", ",", "workspace"),
    Shortcut("brush-larger", "Mask: larger brush", ".", "workspace"),
    Shortcut("mask-undo", "Mask: undo the last stroke", "z", "workspace"),
    Shortcut("mask-redo", "Mask: redo it", "Z", "workspace"),
    Shortcut("way-wipe", "Wipe", "w", "compare"),
    Shortcut("way-side", "Side by side", "s", "compare"),
    Shortcut("way-grid", "Grid", "g", "compare"),
    Shortcut("way-blink", "Blink", "b", "compare"),
    Shortcut("way-difference", "Difference", "d", "compare"),
    Shortcut("way-onion", "Onion", "o", "compare"),
    Shortcut("way-loupe", "Loupe", "l", "compare"),
    Shortcut("way-table", "Table of measures", "m", "compare"),
    Shortcut("flip", "Flip: exchange both, or blink once", "v", "compare"),
    Shortcut("next-picture", "Next picture on the right", "x", "compare"),
    Shortcut("more", "More: angle, rate, gain, opacity or lens", ".", "compare"),
    Shortcut("less", "Less of it", ",", "compare"),
    Shortcut("zoom-in", "Zoom in", "+", "compare"),
    Shortcut("zoom-out", "Zoom out", "-", "compare"),
    Shortcut("next-finding", "Next finding", "n", "compare"),
    Shortcut("previous-finding", "Previous finding", "N", "compare"),
    Shortcut("all-findings", "Boxes of all findings", "a", "compare"),
    Shortcut("map", "Go to the maps", "h", "compare"),
    Shortcut("pair-before", "Pair before in the batch", "j", "compare"),
    Shortcut("pair-after", "Next pair in the batch", "k", "compare"),
    Shortcut("smooth", "Enlarge smaller pictures smoothly or as pixels", "i", "compare"),
    Shortcut("full-screen", "Full screen", "f", "compare"),
    Shortcut("save-view", "Save the view as a PNG", "e", "compare"),
)

PAGES = {
    "everywhere": ("pieces", "workspace", "compare"),
    "picture": ("workspace", "compare"),
}
"""Value of ``where`` for keys that work on every page."""


def keys_of(changed: Mapping[str, str]) -> list[tuple[Shortcut, str]]:
    """Return every shortcut with its key: the artist's own, else the default."""
    return [(shortcut, changed.get(shortcut.action, shortcut.key)) for shortcut in SHORTCUTS]


def checked(wanted: Mapping[str, str]) -> dict[str, str]:
    """Return the keys that differ from the defaults, after checking that all are single signs and no two
    clash.

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
        for place in PAGES.get(shortcut.where, (shortcut.where,)):
            other = taken.setdefault((place, key), shortcut)
            if other is not shortcut:
                raise FieldRefusal(
                    shortcut.action, f"“{key}” is taken by “{other.words}”; choose another."
                )
        if key != shortcut.key:
            changed[shortcut.action] = key
    return changed
