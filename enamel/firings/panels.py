"""The panel of coats, and the part of the workspace that shows the piece's firings."""

from functools import cached_property
from typing import Any

from django.forms import Form

from enamel.core.errors import Refusal
from enamel.firings import services
from enamel.firings.draft import Draft
from enamel.firings.models import Firing, SchedulePreset
from enamel.firings.presenters.schedule import coat_form, draft_of, firing_grids, schedule_cost
from enamel.library.models import Layer
from enamel.workspace.shell import Panel, Workspace


class CoatPanel(Panel):
    name = "coat"
    title = "Coats"
    place = 2
    template = "firings/coat.html"
    seeded = True

    @cached_property
    def draft(self) -> Draft:
        """The schedule, with the coat being edited."""
        return draft_of(self.piece, self.workspace.picked.get("coat"))

    def form(self) -> Form:
        return coat_form(self.piece, self.draft)

    def context(self, form: Form) -> dict[str, Any]:
        presets = SchedulePreset.objects.filter(owner_id=self.piece.owner_id)
        return self._cost() | {"draft": self.draft, "presets": presets}

    def _cost(self) -> dict[str, Any]:
        """Return the schedule's result and cost, or why it can't be fired."""
        try:
            return schedule_cost(self.piece, self.draft)
        except Refusal as refusal:
            return {"refused": str(refusal), "rows": [None] * len(self.draft.schedule.coats)}


def firing_part(workspace: Workspace) -> dict[str, Any]:
    """Show the firing that waits, runs or ended without a result. It hides the panels."""
    piece = workspace.piece
    firing = piece.firings.in_sight().select_related("start").first()
    if firing and firing.open:
        workspace.shown = firing.start
    layer = workspace.shown
    made_by = None
    if layer.kind != Layer.Kind.BASE:
        made_by = piece.firings.filter(result=layer, state=Firing.State.DONE).first()
    return {
        "firing": firing,
        "unattended": firing is not None and services.unattended(firing),
        "grids": firing_grids(firing) if firing and firing.open else "",
        "waiting": max(0, piece.firings.open().count() - 1) if firing else 0,
        "last_seed": _last_seed(workspace) if workspace.panel.seeded else None,
        "made_by": made_by,
    }


def _last_seed(workspace: Workspace) -> int | None:
    """Return the seed fired last."""
    last = workspace.piece.firings.order_by("-created").first()
    return last.refine["seed"] if last and last.refine else None
