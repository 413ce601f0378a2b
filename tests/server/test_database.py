"""The database restarts: visitors don't notice, and workers go on within seconds."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.contrib.auth.models import User
from django.db import connection

from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library.models import Piece
from tests.schedules import coat
from tests.workers import wait_for, worker

pytestmark = pytest.mark.django_db(transaction=True)


def restart() -> int:
    """End every other connection, as a restart does, and wait until they are gone; how many there were."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid, 5000) FROM pg_stat_activity "
            "WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
        return len(cursor.fetchall())


def test_no_visitor_is_handed_a_connection_that_died(artist: User) -> None:
    """Nor kept waiting while one dead connection after the other is tried."""

    def visit(together: threading.Barrier) -> int:
        try:
            found = User.objects.count()
            together.wait(30)  # so that each has a connection of its own
            return found
        finally:
            connection.close()  # back into the pool

    with ThreadPoolExecutor(8) as visitors:
        for count in (8, 1, 8, 1):
            together = threading.Barrier(count)
            asked = [visitors.submit(visit, together) for _ in range(count)]
            assert [one.result(60) for one in asked] == [1] * count
            assert restart() >= count


def test_a_worker_resumes_within_seconds(piece: Piece) -> None:
    at_work = worker("firings")
    try:
        first = firings.enqueue_schedule(piece.base, coat(steps=1))
        wait_for(lambda: Firing.objects.get(pk=first.pk).state == Firing.State.DONE, 60, "a firing")
        assert restart() > 0
        second = firings.enqueue_schedule(piece.base, coat(steps=1, seed=9))
        began = time.monotonic()
        wait_for(
            lambda: Firing.objects.get(pk=second.pk).state == Firing.State.DONE, 40, "the next one"
        )
        assert time.monotonic() - began < 30
    finally:
        at_work.terminate()
        at_work.wait(30)
