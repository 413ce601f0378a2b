"""The panel of finishes."""

from typing import Any

from django.forms import Form

from enamel.core.finishing.recipe import Finish
from enamel.finishing.forms import FinishForm
from enamel.finishing.presenters import present_finish
from enamel.workspace.shell import Panel


class FinishPanel(Panel):
    name = "finish"
    title = "Finish"
    place = 5
    template = "finishing/finish.html"
    live = True

    def form(self) -> Form:
        recipe = Finish.from_json(self.changing.recipe["finish"]) if self.changing else Finish()
        return FinishForm.showing(recipe)

    def context(self, form: Form) -> dict[str, Any]:
        return present_finish(self.piece, self.layer, self.changing)
