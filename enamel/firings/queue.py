"""The queue of firings: its order, estimated starts, and moving firings in it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar
from uuid import UUID

from django.db import connection, transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Refusal
from enamel.firings.models import Firing
from enamel.jobs.models import Worker
from enamel.jobs.queueing import FIRINGS

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Place:
    """A firing that waits."""

    firing: Firing
    seconds: float
    """Seconds until about when it begins, with as many workers as there are now."""


def in_order() -> list[Place]:
    """Return all artists' waiting firings in the order in which they will be taken."""
    named = list(dict.fromkeys(firing_id for _, firing_id in _slots()))
    firings = Firing.objects.filter(state=Firing.State.WAITING, piece__deleted_at=None)
    waiting = firings.select_related("piece", "start").in_bulk(named)
    workers = max(1, Worker.objects.serving(FIRINGS).count())
    running = Firing.objects.filter(state=Firing.State.RUNNING).values_list(
        "seconds_left", flat=True
    )
    ahead = sum(left or 0.0 for left in running)
    found = []
    for firing_id in named:
        firing = waiting.get(firing_id)
        if firing is not None:
            found.append(Place(firing, ahead / workers))
            ahead += firing.predicted_seconds or 0.0
    return found


def _slots() -> list[tuple[int, UUID]]:
    """Return the queue's waiting entries with their firings, in the order in which workers take them."""
    jobs = ProcrastinateJob.objects.filter(queue_name=FIRINGS, status="todo")
    found = jobs.order_by("-priority", "id").values_list("id", "args__job_id")
    return [(number, UUID(firing_id)) for number, firing_id in found]


def move(firing: Firing, steps: int) -> None:
    """Move a waiting firing by a number of places among those of the same artist, forward if negative.

    Entries of the queue keep their places, and exchange their firings. So nobody else's firings move.

    Raises
    ------
    Refusal
        When it is not waiting any more.
    """
    own = Firing.objects.filter(piece__owner=firing.piece.owner_id, state=Firing.State.WAITING)
    with transaction.atomic():
        mine = set(own.values_list("pk", flat=True))
        slots: dict[UUID, int] = {}
        for number, firing_id in _slots():
            if firing_id in mine:
                slots.setdefault(firing_id, number)
        slots = _still_waiting(slots)
        if firing.pk not in slots:
            raise Refusal("This firing does not wait any more, so it can't be moved.")
        order = list(slots)
        _assign(list(slots.values()), moved(order, order.index(firing.pk), steps))


def moved(order: Sequence[T], place: int, steps: int) -> list[T]:
    """Return a list with one item moved by a number of places (forward if negative), at most to its ends."""
    found = list(order)
    thing = found.pop(place)
    found.insert(min(max(0, place + steps), len(found)), thing)
    return found


def _still_waiting(slots: dict[UUID, int]) -> dict[UUID, int]:
    """Return those of these entries that still wait, locked until the transaction ends."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT id FROM procrastinate_jobs WHERE id = ANY(%s) AND status = 'todo' FOR UPDATE SKIP LOCKED",
            [list(slots.values())],
        )
        locked = {number for (number,) in cursor.fetchall()}
    return {firing_id: number for firing_id, number in slots.items() if number in locked}


def _assign(jobs: Sequence[int], order: Sequence[UUID]) -> None:
    with connection.cursor() as cursor:
        for number, firing_id in zip(jobs, order, strict=True):
            cursor.execute(
                "UPDATE procrastinate_jobs SET args = jsonb_set(args, '{job_id}', to_jsonb(%s::text)) "
                "WHERE id = %s",
                [str(firing_id), number],
            )


def set_priority(firing: Firing, priority: int) -> None:
    """Change the priority of a waiting firing."""
    Firing.objects.filter(pk=firing.pk).update(priority=priority)
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET priority = %s "
            "WHERE queue_name = %s AND status = 'todo' AND args->>'job_id' = %s",
            [priority, FIRINGS, str(firing.pk)],
        )
