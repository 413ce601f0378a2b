"""The comparing bench: its pictures, their places, and how their settings differ."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, fields
from functools import cached_property
from itertools import permutations
from typing import Any
from uuid import UUID

from django.db.models import Q
from django.http import QueryDict
from django.urls import reverse

from enamel.core.checks.measures import MEASURES, best_of
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box, Size
from enamel.core.masks import Mask, RenderedMask
from enamel.core.schedule import Coat, Refine, differences
from enamel.firings.models import LayerCheck
from enamel.library.models import Layer, Piece
from enamel.library.models.layers import refine_of
from enamel.library.templatetags.layers import made_with, picture_source
from enamel.library.viewing import LETTERS, MOST_COMPARED
from enamel.swatches.models import Swatch, SwatchSheet

MOST_SWATCHES = 24
SWATCH_TOKEN = re.compile(r"s[0-9]{1,9}")
MOST_DIFFERENCES = 6

WAYS = {
    "wipe": "Wipe",
    "side": "Side by side",
    "grid": "Grid",
    "blink": "Blink",
    "difference": "Difference",
    "onion": "Onion",
    "loupe": "Loupe",
    "table": "Measures",
}
ORDER = [spec.name for spec in (*fields(Coat), *fields(Refine))]
NAMES = {
    "upscaler": "upscaler",
    "factor": "factor",
    "tile.0": "tile width",
    "tile.1": "tile height",
}


@dataclass(frozen=True)
class Compared:
    """One picture that can be compared, a layer or a swatch."""

    of: Layer | Swatch

    @property
    def token(self) -> str:
        """Its name in the page's address."""
        return f"s{self.of.pk}" if isinstance(self.of, Swatch) else str(self.of.pk)

    @cached_property
    def whole(self) -> Size:
        """Size of the whole picture; a swatch is a window of one."""
        return self.of.sheet.size if isinstance(self.of, Swatch) else self.of.size

    @property
    def box(self) -> Box:
        """The part of the whole picture that it shows."""
        return self.of.sheet.box if isinstance(self.of, Swatch) else Box.whole(self.of.size)

    @property
    def name(self) -> str:
        if isinstance(self.of, Swatch):
            return f"Swatch: {self.of.label or 'the current coat'}"
        return self.of.get_kind_display()

    @property
    def settings(self) -> str:
        if isinstance(self.of, Swatch):
            refine = self.of.refine
            return f"strength {refine['strength']:g}, seed {refine['seed']}" if refine else ""
        return made_with(self.of)

    @property
    def seconds(self) -> float | None:
        """How long it took to make."""
        return self.of.seconds

    @property
    def coats(self) -> list[dict[str, Any]]:
        """The settings of each coat from the base to it, in order."""
        if isinstance(self.of, Swatch):
            before = [to_json(coat) for coat in self.of.sheet.as_schedule().coats[:-1]]
            return [*_chain(self.of.sheet.start), *before, self.of.coat]
        return _chain(self.of)

    @property
    def checks(self) -> dict[str, Any]:
        return (self.of.checks or {}) if isinstance(self.of, Layer) and self.of.checked else {}

    @property
    def verdict(self) -> str:
        if isinstance(self.of, Swatch):
            return ""
        if self.of.kind == Layer.Kind.BASE:
            return "what the others are measured against"
        return self.of.verdict or "not checked yet"

    @property
    def measures(self) -> dict[str, float]:
        found: dict[str, float] = dict(self.checks.get("measures", {}))
        return found

    @property
    def found(self) -> int:
        """How many findings the checks had."""
        return self.of.found if isinstance(self.of, Layer) and self.of.checked else 0

    @property
    def waits_for_checks(self) -> bool:
        layer = self.of if isinstance(self.of, Layer) else None
        return layer is not None and layer.kind != Layer.Kind.BASE and not layer.checked

    @cached_property
    def check(self) -> LayerCheck | None:
        """Its check that waits, runs or failed."""
        if not isinstance(self.of, Layer) or not self.waits_for_checks:
            return None
        return LayerCheck.objects.filter(layer=self.of).first()

    def for_script(self) -> dict[str, Any]:
        """Return what the page's script needs."""
        whole, box = self.whole, self.box
        columns = {
            "token": self.token,
            "name": self.name,
            "settings": self.settings,
            "width": whole.width,
            "height": whole.height,
            "box": [box.x, box.y, box.width, box.height],
            "findings": self.checks.get("findings", []),
            "maps": self.checks.get("maps", {}),
        }
        if isinstance(self.of, Swatch):
            return columns | {"image": reverse("swatch-picture", args=[self.of.pk])}
        return columns | {"tiles": picture_source(self.of)}


def _chain(layer: Layer) -> list[dict[str, Any]]:
    steps: list[dict[str, Any]] = []
    for step in layer.chain:
        recipe = step.recipe
        made = recipe.get("coat") or recipe.get("touch_up")
        if "inlays" in recipe:
            made = {"inlays": recipe["inlays"]}
        elif "finish" in recipe:
            on = Finish.from_json(recipe["finish"]).steps
            made = {"finish": {name: to_json(settings) for name, settings in on.items()}}
        if made:
            refine = {"refine": refine_of(made)} if "refine" in made else {}
            steps.append(without_masks(made | refine))
    return steps


def without_masks(form: Any) -> Any:
    """Return settings with each mask replaced by the place it covers: masks have thousands of points."""
    if isinstance(form, dict):
        if set(form) == {"size", "steps"}:
            mask = Mask.from_json(form)
            return str(RenderedMask(mask, Size(*mask.size)).bounds)
        return {name: without_masks(value) for name, value in form.items()}
    return [without_masks(value) for value in form] if isinstance(form, list) else form


def settings_apart(one: Compared, other: Compared) -> str:
    """Return how two differ, in one line: "strength 0.25 → 0.35, seed 7 → 19"."""
    before, after = one.coats, other.coats
    shared = min(len(before), len(after))
    parts = []
    for number in range(shared):
        where = f"coat {number + 1}: " if shared > 1 else ""
        found = sorted(differences(before[number], after[number]), key=lambda one: _place(one[0]))
        parts += [
            f"{where}{_named(path)} {_written(old)} → {_written(new)}" for path, old, new in found
        ]
    if len(before) != len(after):
        coats = [f"{len(steps)} coat{'' if len(steps) == 1 else 's'}" for steps in (before, after)]
        parts.insert(0, " → ".join(coats))
        more = (after if len(after) > len(before) else before)[shared:]
        parts += [_summed(coat) for coat in more]
    shown = parts[:MOST_DIFFERENCES]
    if len(parts) > MOST_DIFFERENCES:
        shown.append(f"and {len(parts) - MOST_DIFFERENCES} more")
    return ", ".join(shown) or "the same settings"


def _place(path: str) -> int:
    """Return a setting's rank in the declared order, whatever order it was stored in."""
    name = path.removeprefix("refine.").split(".")[0]
    return ORDER.index(name) if name in ORDER else len(ORDER)


def _named(path: str) -> str:
    last = path.removeprefix("refine.")
    return NAMES.get(last, last.replace("_", " ").replace(".", " "))


def _written(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value) or "none"


def _summed(made: dict[str, Any]) -> str:
    refine = made.get("refine")
    others = {"inlays": "inlay", "finish": "finish"}
    kind = next((words for name, words in others.items() if name in made), "touch-up")
    words = str(made.get("upscaler", kind)).capitalize()
    if refine:
        words += f" with strength {refine['strength']:g}, seed {refine['seed']}"
    return words


class Comparison:
    """The bench: pictures to choose from, and those chosen.

    Parameters
    ----------
    picked : ``show``, names of pictures separated by commas (layers' ids, ``s`` and a swatch's number);
        the base and the newest layer when none is found. ``way``, one of `WAYS`.
    """

    def __init__(self, piece: Piece, picked: QueryDict) -> None:
        self.piece = piece
        tokens = picked.get("show", "").split(",")
        self.choices = choices_for(piece, tokens)
        known = {one.token: one for one in self.choices}
        asked = [known[token] for token in tokens if token in known]
        layers = [
            one for one in self.choices if isinstance(one.of, Layer) and one.of.piece_id == piece.pk
        ]
        usual = [layers[0], layers[-1]] if len(layers) > 1 else layers
        self.shown = list(dict.fromkeys(asked))[:MOST_COMPARED] or usual
        way = picked.get("way", "wipe")
        self.way = way if way in WAYS else "wipe"

    def context(self) -> dict[str, Any]:
        """Return the template's context."""
        tokens = {one.token for one in self.shown}
        apart = {
            f"{one.token} {other.token}": settings_apart(one, other)
            for one, other in permutations(self.shown, 2)
        }
        return {
            "piece": self.piece,
            "shown": list(zip(LETTERS, self.shown, strict=False)),
            "choices": [(one, one.token in tokens) for one in self.choices],
            "most": MOST_COMPARED,
            "way": self.way,
            "ways": WAYS,
            "pictures": [
                one.for_script() | {"letter": letter}
                for letter, one in zip(LETTERS, self.shown, strict=False)
            ],
            "apart": apart,
            "table": table_of(self.shown),
            "columns": MEASURES,
            "unchecked": [one.of for one in self.shown if one.waits_for_checks],
        }


def choices_for(piece: Piece, tokens: Iterable[str] = ()) -> list[Compared]:
    """Return layers of the piece and of others with the same base, and swatches of the piece: those that
    tokens name, pinned ones, the latest.
    """
    named = [int(token[1:]) for token in tokens if SWATCH_TOKEN.fullmatch(token)]
    layers = (
        Layer.objects.filter(piece__owner_id=piece.owner_id, piece__deleted_at=None)
        .exclude(pyramid="")
        .filter(Q(piece=piece) | Q(piece__in=same_base(piece)))
        .select_related("piece", "parent")
        .defer("checks", "parent__checks", "piece__base_facts")
    )
    own_first = sorted(layers, key=lambda layer: (layer.piece_id != piece.pk, layer.created))
    swatches = (
        Swatch.objects.filter(
            sheet__in=SwatchSheet.objects.filter(piece=piece), state=Swatch.State.DONE
        )
        .defer("so_far", "sheet__start__checks", "sheet__piece__base_facts")
        .select_related("sheet__start", "sheet__piece")
        .annotate(named=Q(pk__in=named))
        .order_by("-named", "-sheet__pinned", "-sheet__created", "row", "column")[:MOST_SWATCHES]
    )
    return [*map(Compared, own_first), *map(Compared, swatches)]


def same_base(piece: Piece) -> list[UUID]:
    """Other pieces of the same owner whose base has the same pixels."""
    bases = Layer.objects.filter(
        piece__owner_id=piece.owner_id, kind=Layer.Kind.BASE, sha256=piece.base.sha256
    )
    return list(bases.exclude(piece=piece).values_list("piece_id", flat=True))


def table_of(shown: list[Compared]) -> list[dict[str, Any]]:
    """Return rows of measures: the picture, and a value for each of `MEASURES`, the best marked.

    Values that are written alike are equal.
    """
    columns = {
        measure: [measure.rounded(one.measures.get(measure.name)) for one in shown]
        for measure in MEASURES
    }
    best = {measure: best_of(measure, values) for measure, values in columns.items()}
    rows = []
    for place, one in enumerate(shown):
        cells = [
            {
                "value": values[place],
                "written": measure.written(values[place]),
                "best": values[place] is not None and values[place] == best[measure],
            }
            for measure, values in columns.items()
        ]
        rows.append({"letter": LETTERS[place], "picture": one, "cells": cells})
    return rows
