"""What tests of pages share."""

from django.http import HttpResponse
from django.test import Client
from django.urls import reverse

from enamel.core.printing.sizing import Unit
from enamel.library.models import Piece
from enamel.prints.forms import PrintForm


def words_of(answer: HttpResponse) -> str:
    """What a page holds, whitespace being as one sees it: the lines of a template don't count."""
    return " ".join(answer.content.decode().split())


def print_fields(piece: Piece, **changes: object) -> dict[str, object]:
    """What a browser would send for the current print, with some fields changed."""
    shown = PrintForm.showing(piece.print_plan, piece.base.size, Unit.MM).data
    return shown | {"layer": str(piece.base.pk)} | changes


def consequences(client: Client, piece: Piece, **changes: object) -> str:
    """What the page says follows from a changed print."""
    answer = client.post(reverse("print", args=[piece.pk]), print_fields(piece, **changes))
    assert answer.status_code == 200
    piece.refresh_from_db()
    return words_of(answer)
