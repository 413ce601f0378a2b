"""The part of the workspace for swatches: the tray of sheets, and the fields of a new sheet."""

from typing import Any

from enamel.firings.panels import CoatPanel
from enamel.firings.presenters.schedule import result_of
from enamel.swatches.forms import SheetForm
from enamel.workspace.shell import Workspace

WINDOW = 512
"""Side of proposed windows, in px of the result."""
MOST_IN_TRAY = 8


def swatch_part(workspace: Workspace) -> dict[str, Any]:
    """Show the tray of sheets, and in the panel of coats the fields of a new one."""
    sheets = workspace.piece.sheets.order_by("-pinned", "-created").prefetch_related("swatches")
    panel = workspace.panel
    trial = None
    if isinstance(panel, CoatPanel):
        trial = SheetForm(initial={"window": _middle_window(workspace, panel)})
    return {"sheets": sheets[:MOST_IN_TRAY], "trial": trial}


def _middle_window(workspace: Workspace, panel: CoatPanel) -> str:
    """Return a window in the middle of the current coat's result."""
    size = result_of(panel.draft, workspace.layers[0].size)
    width, height = min(WINDOW, size.width), min(WINDOW, size.height)
    return f"{(size.width - width) // 2} {(size.height - height) // 2} {width} {height}"
