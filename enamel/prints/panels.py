"""The panels of the print and of print files."""

from typing import Any

from django.forms import Form

from enamel.core.errors import Refusal
from enamel.prints.forms import PrintFileForm, PrintForm
from enamel.prints.presenters.prints import present_file, present_print
from enamel.workspace.shell import Panel


class PrintPanel(Panel):
    name = "print"
    title = "Print"
    place = 1
    template = "prints/print.html"

    def form(self) -> Form:
        base, unit = self.workspace.layers[0], self.workspace.unit
        return PrintForm.showing(self.piece.print_plan, base.size, unit)

    def context(self, form: Form) -> dict[str, Any]:
        assert isinstance(form, PrintForm)
        if not form.is_valid():
            return {}
        try:
            return present_print(self.piece, self.layer, form)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
            return {}


class FilePanel(Panel):
    name = "file"
    title = "File"
    place = 6
    template = "prints/file.html"

    def form(self) -> Form:
        return PrintFileForm(PrintFileForm.starting())

    def context(self, form: Form) -> dict[str, Any]:
        assert isinstance(form, PrintFileForm)
        return present_file(self.piece, self.layer, self.workspace.unit, form)
