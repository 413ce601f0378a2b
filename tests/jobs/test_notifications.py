"""Live news: what changes is heard by the pages of whom it concerns, over a real server and a real stream."""

import threading
import time
from contextlib import suppress

import httpx
import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.urls import reverse

from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.jobs.models import Worker
from enamel.library.models import Piece
from tests.schedules import coat
from tests.workers import record_heartbeat, wait_for

pytestmark = pytest.mark.django_db(transaction=True)


class Page:
    """An open page of an artist's, listening."""

    def __init__(self, address: str, artist: User) -> None:
        client = Client()
        client.force_login(artist)
        self.received: list[str] = []
        cookies = {name: morsel.value for name, morsel in client.cookies.items()}
        self.client = httpx.Client(base_url=address, cookies=cookies, timeout=30)
        self.thread = threading.Thread(target=self._listen, daemon=True)
        self.thread.start()
        wait_for(lambda: len(self.received) >= 1, 20, "the stream")
        time.sleep(0.6)  # until the server listens, and has said so
        self.received.clear()

    def _listen(self) -> None:
        with suppress(httpx.HTTPError), self.client.stream("GET", "/news/") as answer:
            assert answer.headers["Content-Type"] == "text/event-stream"
            for line in answer.iter_lines():
                if line.startswith("data:"):
                    self.received.append(line)

    def close(self) -> None:
        self.client.close()


def test_a_change_is_heard_by_its_artist_at_once_and_by_nobody_else(
    served: str, piece: Piece, stranger: User
) -> None:
    mine, other = Page(served, piece.owner), Page(served, stranger)
    began = time.monotonic()
    firing = firings.enqueue_schedule(piece.base, coat())
    wait_for(lambda: bool(mine.received), 5, "the news")
    assert time.monotonic() - began < 2
    assert not other.received
    count = len(mine.received)
    Firing.objects.filter(pk=firing.pk).update(done=3)  # no signal of Django's is sent for this
    wait_for(lambda: len(mine.received) > count, 5, "news of a tile")
    assert not other.received
    for page in (mine, other):
        page.close()


def test_many_changes_at_once_are_one_event(served: str, piece: Piece) -> None:
    page = Page(served, piece.owner)
    firing = firings.enqueue_schedule(piece.base, coat())
    for done in range(60):
        Firing.objects.filter(pk=firing.pk).update(done=done)
    time.sleep(1)
    assert 1 <= len(page.received) <= 8
    page.close()


def test_what_a_worker_does_is_for_everybody_but_that_it_lives_is_no_news(
    served: str, stranger: User
) -> None:
    record_heartbeat("firings")
    page = Page(served, stranger)
    worker = Worker.objects.get()
    Worker.objects.record_heartbeat(worker.pk, worker.host, worker.process, worker.queues)
    time.sleep(0.8)
    assert not page.received
    Worker.objects.update(doing="Firing")
    wait_for(lambda: bool(page.received), 5, "the news")
    page.close()


def test_news_resume_after_the_database_was_away(served: str, piece: Piece) -> None:
    page = Page(served, piece.owner)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE datname = current_database() AND query LIKE 'LISTEN%'"
        )
        assert cursor.fetchall()
    wait_for(lambda: bool(page.received), 15, "that something may have changed meanwhile")
    page.received.clear()
    firings.enqueue_schedule(piece.base, coat())
    wait_for(lambda: bool(page.received), 5, "the news")
    page.close()


def test_strangers_and_servers_that_can_not_stream_get_none(client: Client, artist: User) -> None:
    assert client.get(reverse("news")).status_code == 302
    client.force_login(artist)
    assert client.get(reverse("news")).status_code == 204


def test_the_page_after_the_last_one_is_notified_too(served: str, piece: Piece) -> None:
    Page(served, piece.owner).close()
    time.sleep(0.3)  # until the server has seen that it left
    page = Page(served, piece.owner)
    firings.enqueue_schedule(piece.base, coat())
    wait_for(lambda: bool(page.received), 5, "the news")
    page.close()
