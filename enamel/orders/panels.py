"""The part of the workspace for orders: the print shop's papers, beside print files."""

from typing import Any

from enamel.orders.presenters import papers_of
from enamel.orders.shop.services import price_list
from enamel.prints.panels import FilePanel
from enamel.workspace.shell import Workspace


def shop_part(workspace: Workspace) -> dict[str, Any]:
    """Show the papers that print files can be ordered on."""
    if not isinstance(workspace.panel, FilePanel):
        return {}
    prices = price_list()
    return {"papers": papers_of(prices.answer), "prices": prices}
