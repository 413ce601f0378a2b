"""Template tags for notices about a print."""

from django import template
from django.urls import reverse

from enamel.core.printing.preflight import Notice, PreflightItem
from enamel.library.models import Layer

register = template.Library()


@register.filter
def place_of(notice: Notice, layer: Layer) -> tuple[str, str, str] | None:
    """Where the subject of a notice is dealt with: address, text of the link, and the part of the page to
    show.
    """
    task = f"{layer.piece.get_absolute_url()}?layer={layer.pk}&task="
    compare = reverse("compare", args=[layer.piece_id])
    places = {
        PreflightItem.PIXELS: (f"{task}print", "Plan the size", ""),
        PreflightItem.NEWEST: (
            f"{layer.piece.get_absolute_url()}?task=file",
            "Take the newest",
            "",
        ),
        PreflightItem.JOINS: (f"{compare}?show={layer.piece.base.pk},{layer.pk}", "See them", ""),
        PreflightItem.FACES: (f"{task}touch-up", "Touch up", ""),
        PreflightItem.BLEED: (f"{task}print", "Set bleed", ""),
        PreflightItem.GAMUT: (f"{task}file", "Proof it", "proof"),
        PreflightItem.INK: ("#id_profile", "Another profile", ""),
        PreflightItem.SHARPENING: ("#id_paper", "Sharpen for paper", ""),
    }
    return places.get(notice.matter)
