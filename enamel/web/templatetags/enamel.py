"""Template filters and tags: numbers with units, form fields, shortcuts, drawings."""

import json
from typing import Any

from django import template
from django.forms import BoundField, Form
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from enamel.accounts.models import Preferences
from enamel.accounts.shortcuts import Shortcut, keys_of
from enamel.core.geometry import Size
from enamel.core.printing.page import LineSegment, Rect
from enamel.core.printing.papers import PAPERS
from enamel.core.printing.shapes import products
from enamel.core.printing.sizing import PRINT_PPI, Unit, mm_of

register = template.Library()


@register.filter
def duration(seconds: float | None) -> str:
    """A duration in words: 45 s, 3 min, 1 h 20 min."""
    if seconds is None:
        return "—"
    if seconds < 1:
        return "under 1 s"
    if seconds < 90:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    if minutes < 60:
        return f"{minutes} min"
    return f"{minutes // 60} h {minutes % 60:02d} min"


@register.filter
def megapixels(picture: Any) -> str:
    """Pixel count of a size, or of an object with a size: 0.79 MP, 3.1 MP, 171 MP."""
    value = getattr(picture, "size", picture).megapixels
    return f"{value:.2f} MP" if value < 1 else f"{value:.3g} MP"


@register.filter
def money(cents: int) -> str:
    """An amount: 2.40."""
    return f"{cents / 100:.2f}"


@register.filter
def memory(mb: float) -> str:
    """Memory or disk: 380 MB, 1.2 GB."""
    return f"{mb:.0f} MB" if mb < 1000 else f"{mb / 1000:.1f} GB"


@register.filter
def given_back(missing: float) -> str:
    """How much of the detail that enlarging lost a pass restores: all, none or a fraction."""
    words = {0.0: "none", 1.0: "all"}
    return words.get(missing, f"{missing:.0%}".replace("%", " %"))


@register.filter
def print_size(size: Size, unit: Unit = Unit.MM) -> str:
    """Physical size at 300 ppi: 173 × 260 mm (6.8 × 10.2 in)."""
    return _printed(size, PRINT_PPI, unit)


@register.simple_tag
def printed(size: Size, ppi: float, unit: Unit) -> str:
    """Physical size at a resolution, in the artist's unit first."""
    return _printed(size, ppi, unit)


def _printed(size: Size, ppi: float, unit: Unit) -> str:
    both = {}
    for way, digits in ((Unit.MM, 0), (Unit.CM, 1), (Unit.IN, 1)):
        sides = " × ".join(f"{mm_of(side, ppi) / way.mm:.{digits}f}" for side in size)
        both[way] = f"{sides} {way}"
    other = Unit.MM if unit is Unit.IN else Unit.IN
    return f"{both[unit]} ({both[other]})"


@register.filter
def as_json(value: object) -> str:
    """A value as JSON for an attribute in single quotes: JSON's own quotes are double, and a picture's
    maps have thousands of them.
    """
    written = json.dumps(value).replace("&", "&amp;").replace("<", "&lt;").replace("'", "&#x27;")
    return mark_safe(written)


@register.simple_tag
def field(bound: BoundField, unit: str = "", hint: str = "") -> SafeString:
    """One setting: label, input, unit, what to expect, what is wrong.

    Written out here and not in a template, as widgets are (`web/widgets.py`): a page has forty of them.
    """
    usual, errors = usual_range(bound), bound.errors
    description, place = hint or errors or usual, f"{bound.id_for_label}-said"
    if description:
        bound.field.widget.attrs["aria-describedby"] = place
    parts: list[str] = [
        format_html(
            '<div class="flex min-w-0 flex-col gap-[3px]" data-field="{}">'
            '<div class="flex min-w-0 items-center justify-between gap-1">'
            '<label for="{}" class="label truncate">{}</label></div>'
            '<div class="flex min-w-0 items-center gap-1.5">{}',
            bound.html_name, bound.id_for_label, bound.label, bound,
        )
    ]  # fmt: skip
    if unit:
        parts.append(
            format_html('<span class="shrink-0 text-[13px] text-ink-soft">{}</span>', unit)
        )
    parts.append("</div>")
    if usual:
        parts.append(format_html(USUAL_RANGE, **usual))
    if errors:
        words = " ".join(map(str, errors))
        parts.append(
            format_html(
                '<p id="{}" class="text-[13px] font-medium text-signal-deep">{}</p>', place, words
            )
        )
    elif description:
        span = (
            format_html(
                '<span class="sr-only"> Usually from {} to {}.</span>', usual["low"], usual["high"]
            )
            if usual
            else ""
        )
        kind = "text-[13px] text-ink-soft" + ("" if hint else " sr-only")
        parts.append(format_html('<p id="{}" class="{}">{}{}</p>', place, kind, hint, span))
    return mark_safe("".join([*parts, "</div>"]))


USUAL_RANGE = (
    '<svg viewBox="0 0 100 5" preserveAspectRatio="none" class="h-[5px] w-full" aria-hidden="true" '
    'data-usual="{span_low},{span_high}">'
    '<rect x="0" y="2" width="100" height="1" class="fill-rule"/>'
    '<rect x="{x}" y="1.5" width="{width}" height="2" class="fill-verdigris"/>'
    '<rect x="{at}" y="0" width="1.4" height="5" class="fill-ink" data-at/></svg>'
)
"""A drawing below a setting of its usual range."""


def usual_range(bound: BoundField) -> dict[str, float] | None:
    """The usual range of a setting as places on a line of 100, if known."""
    known = getattr(bound.form, "USUAL", {}).get(bound.name)
    if known is None:
        return None
    low, high, span_low, span_high = known
    span = span_high - span_low
    try:
        value = float(bound.value())
    except (TypeError, ValueError):
        value = low
    at = 98.6 * min(1.0, max(0.0, (value - span_low) / span))
    x, width = 100 * (low - span_low) / span, 100 * (high - low) / span
    return {
        "low": low, "high": high, "span_low": span_low, "span_high": span_high,
        "x": x, "width": width, "at": at,
    }  # fmt: skip


@register.filter
def millions(number: int) -> str:
    """A count of parameters: 860 M, 0.25 M."""
    return f"{number / 1e6:.3g} M"


@register.filter
def length_in(length_mm: float, unit: Unit) -> str:
    """A length in the artist's unit: 210 mm, 8.27 in."""
    return f"{unit.shown(length_mm)} {unit}"


@register.filter
def with_height(width: float, height: float) -> tuple[float, float]:
    return width, height


@register.filter
def add_px(place: float, more: float) -> float:
    return place + more


@register.simple_tag
def shortcut_keys(preferences: Preferences) -> dict[str, object]:
    """The artist's keys: as JSON from key to action for each page, and in groups to be read."""
    groups: dict[str, list[tuple[Shortcut, str]]] = {
        "workspace": [],
        "picture": [],
        "compare": [],
        "pieces": [],
        "everywhere": [],
    }
    keys = keys_of(preferences.keys)
    for shortcut, key in keys:
        groups[shortcut.where].append((shortcut, key))
    return {
        "as_json": json.dumps({shortcut.action: key for shortcut, key in keys}),
        "groups": groups,
    }


@register.simple_tag
def papers(unit: Unit) -> str:
    """Named papers and products for the page's script, in the artist's unit, as JSON: papers with their
    sides in portrait, products with sides as they are, bleed and wrapped sides."""
    sides = {
        paper.name: {"sides": [_length(paper.width_mm, unit), _length(paper.height_mm, unit)]}
        for paper in PAPERS
    }
    things = {
        thing.name: {
            "sides": [_length(thing.width_mm, unit), _length(thing.height_mm, unit)],
            "bleed": _length(thing.bleed_mm, unit),
            "wrap": _length(thing.wrap_mm, unit),
        }
        for thing in products()
    }
    return json.dumps(sides | things)


def _length(length_mm: float, unit: Unit) -> str:
    return f"{unit.shown(length_mm)} {unit}"


@register.filter
def both_sides(size_mm: tuple[float, float], unit: Unit) -> str:
    """A size in the artist's unit: 210 × 297 mm."""
    return f"{unit.shown(size_mm[0])} × {unit.shown(size_mm[1])} {unit}"


@register.filter
def given(form: Form, name: str) -> object:
    """A field's value as it was entered; an empty text for none."""
    value = form[name].value()
    return "" if value is None else value


@register.filter
def below(length: float, whole: float) -> float:
    """The rest of ``whole`` above a thing of that length at its bottom."""
    return whole - length


@register.filter
def plain(value: float) -> str:
    """A number in a drawing: short, with a decimal point."""
    return f"{value:.3f}".rstrip("0").rstrip(".") or "0"


@register.filter
def times(value: float, by: float) -> str:
    """A multiple of a number, for a drawing."""
    return plain(value * by)


@register.simple_tag
def rect(box: Rect) -> str:
    """A rectangle's place as the attributes of a drawing."""
    sides = (("x", box.left), ("y", box.top), ("width", box.width), ("height", box.height))
    return format_html_join(" ", '{}="{}"', ((name, plain(side)) for name, side in sides))


@register.simple_tag
def ellipse(box: Rect) -> str:
    """An ellipse that fills a rectangle, as the attributes of a drawing."""
    sides = (("cx", box.left + box.width / 2), ("cy", box.top + box.height / 2),
             ("rx", box.width / 2), ("ry", box.height / 2))  # fmt: skip
    return format_html_join(" ", '{}="{}"', ((name, plain(side)) for name, side in sides))


@register.simple_tag
def line(drawn: LineSegment) -> str:
    """A line's ends as the attributes of a drawing."""
    ends = zip(("x1", "y1", "x2", "y2"), drawn[:4], strict=True)
    return format_html_join(" ", '{}="{}"', ((name, plain(end)) for name, end in ends))


@register.filter
def path(box: Rect) -> str:
    """A rectangle as the path of a drawing."""
    return f"M{plain(box.left)} {plain(box.top)}H{plain(box.right)}V{plain(box.bottom)}H{plain(box.left)}Z"
