"""Template tags for notices about a print."""

from django import template
from django.urls import reverse

from enamel.core.printing.preflight import Matter, Notice
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
        Matter.PIXELS: (f"{task}print", "Plan the size", ""),
        Matter.NEWEST: (f"{layer.piece.get_absolute_url()}?task=file", "Take the newest", ""),
        Matter.JOINS: (f"{compare}?show={layer.piece.base.pk},{layer.pk}", "See them", ""),
        Matter.FACES: (f"{task}touch-up", "Touch up", ""),
        Matter.BLEED: (f"{task}print", "Set bleed", ""),
        Matter.GAMUT: (f"{task}file", "Proof it", "proof"),
        Matter.INK: ("#id_profile", "Another profile", ""),
        Matter.SHARPENING: ("#id_paper", "Sharpen for paper", ""),
    }
    return places.get(notice.matter)
