"""Firings that want the checkpoint in memory go first, for a time."""

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from django.utils import timezone

from enamel.core.checkpoints import loading
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.firings.models.firings import PATIENCE
from enamel.jobs.locks import Busy
from enamel.library.models import Piece
from tests.cards import put_checkpoint, take_cards_away
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


@pytest.fixture
def two_checkpoints(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Two checkpoints, the first of them in memory."""
    for name in ("day-mail", "night-mail"):
        put_checkpoint(name, tmp_path)
    monkeypatch.setattr(loading, "loaded_name", lambda: "day-mail")
    yield
    take_cards_away()


def asked(piece: Piece, model: str) -> Firing:
    return firings.enqueue_schedule(piece.base, coat(model=model))


def goes_first(firing: Firing) -> bool:
    """Whether a worker that is handed a firing begins it; what it comes to is not looked at."""
    try:
        carry_out(Firing.objects.get(pk=firing.pk), lambda: True)
    except Busy:
        return False
    return True


def test_the_one_in_memory_goes_first(piece: Piece, two_checkpoints: None) -> None:
    other, same = asked(piece, "night-mail"), asked(piece, "day-mail")
    assert not goes_first(other)
    other.refresh_from_db()
    assert other.state == Firing.State.WAITING
    Firing.objects.filter(pk=same.pk).update(state=Firing.State.DONE)
    assert goes_first(other)


def test_not_for_ever(piece: Piece, two_checkpoints: None) -> None:
    other, _ = asked(piece, "night-mail"), asked(piece, "day-mail")
    Firing.objects.filter(pk=other.pk).update(
        created=timezone.now() - PATIENCE - timedelta(seconds=1)
    )
    assert goes_first(other)


def test_what_needs_no_checkpoint_waits_for_none(piece: Piece, two_checkpoints: None) -> None:
    plain, _ = asked(piece, "grisaille"), asked(piece, "day-mail")
    assert goes_first(plain)
