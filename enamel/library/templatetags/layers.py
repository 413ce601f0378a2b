"""Template tags for layers."""

import json

from django import template
from django.urls import reverse

from enamel.core.finishing.recipe import Finish
from enamel.library.models import Layer
from enamel.library.pyramids import OVERLAP, TILE

register = template.Library()


@register.filter
def picture_source(layer: Layer) -> str:
    """A layer's pyramid for the page's viewer, as JSON."""
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
def summary(layer: Layer) -> str:
    """Say in a line what a layer is, its size, what made it and what the checks found."""
    words = [layer.get_kind_display(), f"{layer.width} × {layer.height} px", made_with(layer)]
    return " · ".join(word for word in (*words, layer.verdict) if word)


@register.filter
def made_with(layer: Layer) -> str:
    """The settings that made a layer, in a line."""
    refine = layer.refine
    parts = []
    coat = layer.recipe.get("coat")
    if coat:
        parts.append(coat["upscaler"].capitalize())
    if refine:
        parts.append(f"strength {refine['strength']:g}")
        parts.append(f"{refine['steps']} steps")
        parts.append(f"seed {refine['seed']}")
        parts.append(f"by {refine['model'].capitalize()}")
        kit = refine.get("kit") or {"adapters": [], "guide": "", "vae": ""}
        parts += [f"{one['name']} {one['weight']:g}" for one in kit["adapters"]]
        parts += filter(None, [kit["guide"], kit["vae"]])
    if layer.kind == Layer.Kind.FINISH:
        parts.append(Finish.from_json(layer.recipe["finish"]).words)
    if "bureau" in layer.recipe:
        parts.append(f"laid by {layer.recipe['bureau']['name']}")
    return ", ".join(parts) or "as imported"
