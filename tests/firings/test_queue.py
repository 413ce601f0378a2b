"""The kiln's queue: in which order firings are taken, and moving them in it."""

import random

import pytest
from django.contrib.auth.models import User
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Refusal
from enamel.firings import queue
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.jobs.models import DEAD_AFTER, LISTED_FOR, Worker
from enamel.library import services as library
from enamel.library.models import Piece
from tests.schedules import coat
from tests.workers import record_heartbeat


def waiting(piece: Piece, count: int) -> list[Firing]:
    return [firings.enqueue_schedule(piece.base, coat(seed=seed)) for seed in range(count)]


def in_order() -> list[Firing]:
    return [place.firing for place in queue.in_order()]


def taken() -> list[str]:
    """Firings as workers would take their jobs; jobs of other tests' firings may lie there too."""
    jobs = ProcrastinateJob.objects.filter(status="todo").order_by("-priority", "id")
    there = {str(pk) for pk in Firing.objects.values_list("pk", flat=True)}
    asked = [job.args.get("job_id") for job in jobs]
    return [firing_id for firing_id in asked if firing_id in there]


def test_firings_are_moved_and_taken_in_that_order(piece: Piece) -> None:
    first, second, third = waiting(piece, 3)
    assert in_order() == [first, second, third]
    queue.move(third, -2)
    assert in_order() == [third, first, second]
    queue.move(third, 1)
    assert in_order() == [first, third, second]
    queue.move(first, 99)
    assert in_order() == [third, second, first]
    assert taken() == [str(firing.pk) for firing in (third, second, first)]


@pytest.mark.parametrize("seed", range(3))
def test_however_they_are_moved_none_is_lost_and_none_is_there_twice(
    piece: Piece, seed: int
) -> None:
    chance, known = random.Random(seed), waiting(piece, 5)
    for _ in range(12):
        queue.move(chance.choice(known), chance.randint(-4, 4))
    assert sorted(in_order(), key=lambda one: one.pk) == sorted(known, key=lambda one: one.pk)
    assert sorted(taken()) == sorted(str(firing.pk) for firing in known)


def test_another_artists_firings_keep_their_places(piece: Piece, stranger: User) -> None:
    theirs = library.duplicate(piece)
    Piece.objects.filter(pk=theirs.pk).update(owner=stranger)
    mine = waiting(piece, 1)[0]
    other = firings.enqueue_schedule(theirs.base, coat())
    last = waiting(piece, 1)[0]
    queue.move(last, -5)
    assert in_order() == [last, other, mine]


def test_a_running_firing_is_not_moved(piece: Piece) -> None:
    first, second = waiting(piece, 2)
    Firing.objects.filter(pk=first.pk).update(state=Firing.State.RUNNING)
    with pytest.raises(Refusal, match="does not wait"):
        queue.move(first, 1)
    assert in_order() == [second]


def test_more_urgent_ones_go_first_and_the_urgency_outlives_a_pause(piece: Piece) -> None:
    first, second = waiting(piece, 2)
    queue.set_priority(second, 10)
    assert in_order() == [second, first]
    firings.stop(second)
    assert in_order() == [first]
    second.refresh_from_db()
    firings.resume(second)
    assert in_order() == [second, first]


def test_when_each_begins_follows_from_what_goes_before_it_and_how_many_workers(
    piece: Piece,
) -> None:
    running, first, _ = waiting(piece, 3)
    Firing.objects.filter(pk=running.pk).update(state=Firing.State.RUNNING, seconds_left=30.0)
    Firing.objects.filter(pk=first.pk).update(predicted_seconds=50.0)
    assert [place.seconds for place in queue.in_order()] == [30.0, 80.0]
    record_heartbeat("firings")
    record_heartbeat("firings")
    assert [place.seconds for place in queue.in_order()] == [15.0, 40.0]


@pytest.mark.django_db
def test_a_dead_worker_is_listed_until_another_takes_its_place() -> None:
    record_heartbeat("firings")
    record_heartbeat("swatches")
    Worker.objects.update(seen=timezone.now() - DEAD_AFTER)
    record_heartbeat("firings")
    assert [worker.queues for worker in Worker.objects.order_by("seen")] == [
        ["swatches"], ["firings"],
    ]  # fmt: skip
    Worker.objects.update(seen=timezone.now() - LISTED_FOR)
    record_heartbeat("firings")
    assert Worker.objects.count() == 1
