"""Which firing goes first where checkpoints are concerned: bringing one into memory takes a while, so those
that can do with the one that is there go before those that want another, for a time."""

from datetime import timedelta

from django.utils import timezone

from enamel.core.checkpoints import loading
from enamel.core.networks.cards import CheckpointCard, cards
from enamel.firings.models import Firing

PATIENCE = timedelta(minutes=10)
"""For so long a firing lets others go first."""


def lets_another_go_first(firing: Firing) -> bool:
    """Return whether a firing that wants another checkpoint waits for one that wants the one in memory
    here.
    """
    loaded = loading.loaded_name()
    if loaded is None or loaded in firing.models_used:
        return False
    own = {card.name for card in cards() if isinstance(card, CheckpointCard)}
    if not own & set(firing.models_used) or timezone.now() - firing.created > PATIENCE:
        return False
    waiting = Firing.objects.filter(state=Firing.State.QUEUED, models_used__has_key=loaded)
    return waiting.exists()
