"""The panels of touch-ups and inlays."""

from typing import Any

from django.forms import Form

from enamel.catalogue.models import Suited
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.touchup import TouchUp
from enamel.touchups.forms.inlay import InlayForm
from enamel.touchups.forms.touch_up import TouchUpForm
from enamel.touchups.presenters import present_inlay, present_touch_up
from enamel.workspace.shell import Panel


class TouchUpPanel(Panel):
    name = "touch-up"
    title = "Touch-up"
    place = 3
    template = "touchups/touch_up.html"
    seeded = True
    live = True

    def form(self) -> Form:
        settings = None
        if self.changing:
            settings = TouchUp.from_json(self.changing.recipe["touch_up"])
        faces = bool(self.piece.faces_on(self.layer))
        _, refiner = Suited.to(Subject(self.piece.subject), faces=faces)
        return TouchUpForm(TouchUpForm.starting(refiner, settings), start=self.layer.size)

    def context(self, form: Form) -> dict[str, Any]:
        assert isinstance(form, TouchUpForm)
        return present_touch_up(self.piece, self.layer, form, self.changing)


class InlayPanel(Panel):
    name = "inlay"
    title = "Inlay"
    place = 4
    template = "touchups/inlay.html"
    live = True

    def form(self) -> Form:
        return InlayForm(InlayForm.starting(), under=self.layer)

    def context(self, form: Form) -> dict[str, Any]:
        return present_inlay(self.piece, self.layer)
