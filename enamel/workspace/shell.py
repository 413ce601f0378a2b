"""The workspace of a piece: which layer is shown, against which, and the panel of the open task.

Each app registers the panels of its tasks, and further parts of the page, when it is loaded.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import Any, ClassVar

from django.db.models import prefetch_related_objects
from django.forms import Form
from django.http import QueryDict

from enamel.core.printing.sizing import Unit
from enamel.library.models import Layer, Piece
from enamel.workspace.section import section


class Panel(ABC):
    """One task of the workspace: its form, and what the form makes and takes."""

    name: ClassVar[str]
    """In the address: ``?task=name``."""
    title: ClassVar[str]
    place: ClassVar[int]
    """Panels are listed in the order of their places."""
    template: ClassVar[str]
    seeded: ClassVar[bool] = False
    """Whether its form has a seed that can be set to the last fired one."""
    live: ClassVar[bool] = False
    """Whether it draws its result over the picture. The picture is then shown without a wipe by default."""

    def __init__(self, workspace: "Workspace") -> None:
        self.workspace = workspace
        self.piece = workspace.piece
        self.layer = workspace.layer

    @abstractmethod
    def form(self) -> Form:
        """Return the form of a newly opened panel."""

    @abstractmethod
    def context(self, form: Form) -> dict[str, Any]:
        """Return what its template shows beside the form."""

    @property
    def changing(self) -> Layer | None:
        """The layer being changed, where it is of this panel's kind."""
        layer = self.workspace.find(self.workspace.picked.get("change"))
        return layer if layer and layer.kind == self.name else None


Part = Callable[["Workspace"], dict[str, Any]]
"""Returns further context of the page, whichever panel is open."""
_panels: dict[str, type[Panel]] = {}
_parts: list[Part] = []


def register_panel(panel: type[Panel]) -> None:
    """Add a task to the workspace."""
    _panels[panel.name] = panel


def register_part(part: Part) -> None:
    """Add a part to the workspace."""
    _parts.append(part)


def tasks() -> dict[str, str]:
    """Return the titles of the tasks by name, in their order."""
    ordered = sorted(_panels.values(), key=lambda panel: panel.place)
    return {panel.name: panel.title for panel in ordered}


class Workspace:
    """The workspace of a piece, as picked by the address.

    Parameters
    ----------
    picked : ``layer`` and ``against``, ids of the layer to show and the one to compare it with (what
        can't be found falls back to the newest layer, and to the base); ``task``, which panel is open;
        ``coat``, which coat of the schedule is edited.
    form : a filled-in form of that panel, to be shown again.
    """

    def __init__(
        self, piece: Piece, picked: QueryDict, unit: Unit, form: Form | None = None
    ) -> None:
        self.piece = piece
        self.picked = picked
        self.unit = unit
        prefetch_related_objects([piece], "masks")
        self.layers = list(piece.layers.order_by("created"))
        piece.base = self.layers[0]
        self.layer = self.find(picked.get("layer")) or self.layers[-1]
        self.panel = _panels.get(picked.get("task", "coat"), _panels["coat"])(self)
        usual = self.layer if self.panel.live else self.layers[0]
        self.against = self.find(picked.get("against")) or usual
        self.form = form or self.panel.form()
        self.shown = self.layer
        """The layer shown; while a firing runs, the one that it started from."""

    def find(self, layer_id: str | None) -> Layer | None:
        """Return the piece's layer with this id."""
        return next((layer for layer in self.layers if str(layer.pk) == layer_id), None)

    def context(self) -> dict[str, Any]:
        """Return the template's context."""
        found = {name: value for part in _parts for name, value in part(self).items()}
        return (
            found
            | self.panel.context(self.form)
            | {
                "piece": self.piece,
                "unit": self.unit,
                "layers": self.layers,
                "layer": self.shown,
                "against": self.against,
                "comparing": self.against.pk != self.shown.pk,
                "section": section(self.layers, self.shown.pk),
                "task": self.panel.name,
                "tasks": tasks(),
                "panel_template": self.panel.template,
                "form": self.form,
            }
        )
