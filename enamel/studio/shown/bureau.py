"""Offers and coats at the bureau, made ready for their pages."""

from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser

from enamel.core.schedule import Schedule
from enamel.kiln.bureau import asking
from enamel.kiln.firings.asking import predict_schedule
from enamel.kiln.models import SentCoat

MOST_LISTED = 60


def sent_shown(sent: SentCoat) -> dict[str, Any]:
    """An offer, or a coat that was sent out."""
    account = asking.account(sent.piece.owner_id)
    refine = sent.coat.refinement
    return {
        "sent": sent,
        "piece": sent.piece,
        "coat": sent.coat,
        "account": account,
        "after_cents": account.spent_cents + sent.cents,
        "too_much": sent.state == SentCoat.State.OFFERED and sent.cents > account.left_cents,
        "megabytes": asking.megabytes(sent),
        "words": refine.words if refine else [],
        "masks": refine.masks if refine else 0,
        "other_models": asking.other_models(sent),
        "here_seconds": predict_schedule(sent.start, Schedule((sent.coat,))).seconds,
    }


def bureau_shown(artist: AbstractBaseUser) -> dict[str, Any]:
    """The page of all coats at the bureau."""
    known = SentCoat.objects.of(artist).select_related("piece", "start", "result")
    return {
        "account": asking.account(artist.pk),
        "terms": asking.terms(),
        "sent_coats": known[:MOST_LISTED],
    }
