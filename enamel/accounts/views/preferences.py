"""The page of preferences: units and keys."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from enamel.accounts.models import Preferences
from enamel.accounts.shortcuts import SHORTCUTS, checked, keys_of
from enamel.core.errors import FieldRefusal
from enamel.core.printing.sizing import Unit


@login_required
def preferences(request: HttpRequest) -> HttpResponse:
    """Show and save preferences. Nothing is saved when a key can't be used."""
    kept = Preferences.of(request.user)
    if request.method != "POST":
        shown = {"rows": _rows(kept.keys), "units": list(Unit), "kept": kept}
        return render(request, "accounts/preferences.html", shown)
    wanted = {shortcut.action: request.POST.get(shortcut.action, "") for shortcut in SHORTCUTS}
    unit = request.POST.get("unit", "")
    kept.unit = unit if unit in list(Unit) else kept.unit
    try:
        kept.keys = {} if "usual" in request.POST else checked(wanted)
    except FieldRefusal as refusal:
        rows = _rows(wanted, refusal)
        shown = {"rows": rows, "units": list(Unit), "kept": kept}
        return render(request, "accounts/preferences.html", shown, status=422)
    kept.save()
    messages.success(request, "Your preferences are kept.")
    return redirect("preferences")


def _rows(keys: dict[str, str], refusal: FieldRefusal | None = None) -> list[dict[str, object]]:
    return [
        {
            "shortcut": shortcut,
            "key": key,
            "error": refusal.message if refusal and refusal.field == shortcut.action else "",
        }
        for shortcut, key in keys_of({name: key for name, key in keys.items() if key})
    ]
