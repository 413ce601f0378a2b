"""How numbers are written: with their unit, in figures an artist can use."""

import json

from django import template
from django.forms import BoundField, Form
from django.urls import reverse

from enamel.core.geometry import Size
from enamel.core.sizing import MM_PER_INCH, PRINT_PPI, mm_of
from enamel.kiln.models import Layer
from enamel.kiln.pyramids import OVERLAP, TILE

register = template.Library()


@register.filter
def duration(seconds: float | None) -> str:
    """Seconds as people say them: 45 s, 3 min, 1 h 20 min."""
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
def megapixels(layer: Layer) -> str:
    """Pixel count: 0.79 MP, 3.1 MP, 171 MP."""
    value = layer.size.megapixels
    return f"{value:.2f} MP" if value < 1 else f"{value:.3g} MP"


@register.filter
def memory(mb: float) -> str:
    """Memory or disk: 380 MB, 1.2 GB."""
    return f"{mb:.0f} MB" if mb < 1000 else f"{mb / 1000:.1f} GB"


@register.filter
def print_size(size: Size, ppi: float = PRINT_PPI) -> str:
    """Physical size at a resolution: 173 × 260 mm (6.8 × 10.2 in)."""
    width, height = mm_of(size.width, ppi), mm_of(size.height, ppi)
    inches = f"{width / MM_PER_INCH:.1f} × {height / MM_PER_INCH:.1f} in"
    return f"{width:.0f} × {height:.0f} mm ({inches})"


@register.filter
def picture_source(layer: Layer) -> str:
    """What the page's viewer has to know of a layer's pyramid, as JSON."""
    first_tile = reverse("layer-tile", args=[layer.pk, 0, 0, 0])
    return json.dumps(
        {
            "width": layer.width,
            "height": layer.height,
            "tileSize": TILE,
            "overlap": OVERLAP,
            "url": first_tile.removesuffix("0/0_0.png"),
        }
    )


@register.filter
def made_with(layer: Layer) -> str:
    """The settings of a layer in a line."""
    refine = layer.refine
    parts = []
    coat = layer.recipe.get("coat")
    if coat:
        parts.append(coat["upscaler"].capitalize())
    if refine:
        parts.append(f"strength {refine['strength']:g}")
        parts.append(f"{refine['steps']} steps")
        parts.append(f"seed {refine['seed']}")
    return ", ".join(parts) or "as it was brought in"


@register.inclusion_tag("studio/field.html")
def field(bound: BoundField, unit: str = "", hint: str = "") -> dict[str, object]:
    """One setting: label, input, unit, what to expect, what is wrong."""
    described = f"{bound.id_for_label}-said" if hint or bound.errors else ""
    bound.field.widget.attrs |= {"aria-describedby": described} if described else {}
    return {"bound": bound, "unit": unit, "hint": hint, "described": described}


@register.filter
def given(form: Form, name: str) -> object:
    """What was put into a field, as it was written; nothing as an empty text."""
    value = form[name].value()
    return "" if value is None else value


@register.filter
def below(length: float, whole: float) -> float:
    """What is left of ``whole`` above a thing of that length standing on its ground."""
    return whole - length
