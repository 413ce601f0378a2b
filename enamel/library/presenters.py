"""The page of pieces: searched, filtered and sorted."""

from typing import Any

from django.http import QueryDict

from enamel.library.models import Piece
from enamel.library.models.pieces import PieceQuerySet

SORTS = {
    "newest": ("Newest first", ["-created"]),
    "oldest": ("Oldest first", ["created"]),
    "title": ("By title", ["title", "-created"]),
    "mark": ("Keep, maybe, unmarked, drop", ["mark_order", "-created"]),
}


class PieceSearch:
    """A search among an artist's pieces."""

    def __init__(self, own: PieceQuerySet, asked: QueryDict) -> None:
        self.own = own
        self.asked = {name: asked.get(name, "") for name in ("q", "mark", "tag", "sort")}

    @property
    def found(self) -> PieceQuerySet:
        asked = self.asked
        found = self.own.found(asked["q"])
        if asked["mark"]:
            found = found.filter(mark="" if asked["mark"] == "none" else asked["mark"])
        if asked["tag"]:
            found = found.filter(tags__contains=[asked["tag"]])
        _, order = SORTS.get(asked["sort"], SORTS["newest"])
        return found.by_mark().order_by(*order)

    @property
    def shown(self) -> dict[str, Any]:
        """Return the search as the page's form shows it, with the other choices."""
        return {
            "asked": self.asked,
            "sorts": [(name, words) for name, (words, _) in SORTS.items()],
            "marks": [*Piece.Mark.choices, ("none", "Unmarked")],
            "tags": self.own.tags_used(),
        }
