"""Form widgets rendered in Python: the same HTML as Django's templates, in a tenth of the time.

A page of settings has some fifty widgets.
"""

from collections.abc import Callable, Mapping
from typing import Any

from django.forms.renderers import DjangoTemplates
from django.utils.html import conditional_escape
from django.utils.safestring import SafeString, mark_safe

Widget = Mapping[str, Any]
FOLDER = "django/forms/widgets/"


class PlainWidgets(DjangoTemplates):
    """Renders the widgets that our forms use; any others by their templates."""

    def render(
        self, template_name: str, context: dict[str, Any], request: Any = None
    ) -> SafeString:
        written = WRITTEN.get(template_name)
        if written is None:
            return mark_safe(super().render(template_name, context, request))
        return mark_safe(written(context["widget"]).strip())


def _attributes(widget: Widget) -> str:
    found = ""
    for name, value in widget["attrs"].items():
        if value is True:
            found += f" {conditional_escape(name)}"
        elif value is not False:
            found += f' {conditional_escape(name)}="{conditional_escape(str(value))}"'
    return found


def _input(widget: Widget) -> str:
    value = widget["value"]
    valued = "" if value is None else f' value="{conditional_escape(str(value))}"'
    kind, name = conditional_escape(widget["type"]), conditional_escape(widget["name"])
    return f'<input type="{kind}" name="{name}"{valued}{_attributes(widget)}>'


def _textarea(widget: Widget) -> str:
    value = conditional_escape(widget["value"]) if widget["value"] else ""
    name = conditional_escape(widget["name"])
    return f'<textarea name="{name}"{_attributes(widget)}>\n{value}</textarea>'


def _select(widget: Widget) -> str:
    found = f'<select name="{conditional_escape(widget["name"])}"{_attributes(widget)}>'
    for name, options, _ in widget["optgroups"]:
        if name:
            found += f'\n  <optgroup label="{conditional_escape(name)}">'
        for option in options:
            value = conditional_escape(str(option["value"]))
            label = conditional_escape(option["label"])
            found += f'\n  <option value="{value}"{_attributes(option)}>{label}</option>\n'
        if name:
            found += "\n  </optgroup>"
    return f"{found}\n</select>"


def _option(widget: Widget) -> str:
    if not widget.get("wrap_label"):
        return _input(widget)
    place = widget["attrs"].get("id")
    wanted = f' for="{conditional_escape(place)}"' if place else ""
    return f"<label{wanted}>{_input(widget)} {conditional_escape(widget['label'])}</label>"


WRITTEN: dict[str, Callable[[Widget], str]] = {
    f"{FOLDER}{name}.html": written
    for names, written in (
        (("text", "number", "hidden", "checkbox", "email", "url", "input"), _input),
        (("textarea",), _textarea),
        (("select",), _select),
        (("radio_option", "checkbox_option"), _option),
    )
    for name in names
}
