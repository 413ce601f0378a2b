"""The panel of the base: its facts, and the artist's notes on the piece."""

from typing import Any

from django.forms import Form

from enamel.library.forms import BaseForm
from enamel.workspace.shell import Panel


class BasePanel(Panel):
    name = "base"
    title = "Base"
    place = 7
    template = "workspace/base_facts.html"

    def form(self) -> Form:
        return BaseForm.showing(self.piece)

    def context(self, form: Form) -> dict[str, Any]:
        return {}
