"""How often pages ask the database: a fixed number, however many pictures there are."""

from collections.abc import Callable

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from enamel.batches import services as batches
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.pipeline.treatment import Treatment
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.prints import services as prints
from tests.batches.test_pages import given
from tests.schedules import coat

NetworkInputs = Callable[[], object]


def counted(asked: NetworkInputs) -> int:
    asked()  # what is remembered of models, sessions and prices is remembered now
    with CaptureQueriesContext(connection) as queries:
        asked()
    return len(queries)


def more(piece: Piece, count: int) -> None:
    """Further pieces, each with a firing that waits, one that is done, and a print file."""
    for _ in range(count):
        twin = library.duplicate(piece)
        store.prepare(twin.base)
        firings.enqueue_schedule(twin.base, coat())
        done = firings.enqueue_schedule(twin.base, coat())
        Firing.objects.filter(pk=done.pk).update(state=Firing.State.STOPPED)
        prints.order(twin.base, PrintSettings(Output(FileFormat.PNG)))


@pytest.mark.parametrize(
    "name", ["pieces", "kiln", "print-files", "batches", "start-batch", "bureau"]
)
def test_a_page_of_many_asks_as_often_as_a_page_of_few(
    signed_in: Client, piece: Piece, name: str
) -> None:
    more(piece, 2)
    batches.start(piece.owner, "posters", Treatment(), [piece])
    few = counted(lambda: signed_in.get(reverse(name)))
    more(piece, 5)
    for number in range(3):
        batches.start(piece.owner, f"posters {number}", Treatment(), [piece])
    assert counted(lambda: signed_in.get(reverse(name))) == few
    assert few < 45


def test_the_cost_of_many_pictures_asks_as_often_as_that_of_few(
    signed_in: Client, piece: Piece
) -> None:
    def cost() -> None:
        pieces = Piece.objects.all()
        answer = signed_in.post(reverse("batch-cost"), given(*pieces))
        assert answer.status_code == 200
        assert "Takes" in answer.content.decode()

    few = counted(cost)
    for _ in range(6):
        library.duplicate(piece)
    assert counted(cost) == few


def test_a_batch_of_many_is_shown_with_as_many_questions_as_one_of_few(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    twins = [library.duplicate(piece) for _ in range(7)]
    small = batches.start(artist, "few", Treatment(), twins[:2])
    large = batches.start(artist, "many", Treatment(), twins)
    asked = [
        counted(lambda batch=batch: signed_in.get(reverse("batch", args=[batch.pk])))  # type: ignore[misc]
        for batch in (small, large)
    ]
    assert asked[0] == asked[1]
