"""Firings: asked for in one transaction, carried out, stopped, resumed, and lost by no crash."""

import shutil
import signal
from pathlib import Path
from threading import Thread
from typing import Any

import numpy as np
import pytest
from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Refusal
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.masks.steps import box_mask
from enamel.core.pipeline.firing import fire
from enamel.core.pipeline.pace import Kind, Portion
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Schedule
from enamel.firings import run
from enamel.firings import services as firings
from enamel.firings.models import Firing, Timing
from enamel.firings.models.timings import KEPT
from enamel.jobs import sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.locks import Busy
from enamel.jobs.models import DEAD_AFTER, Worker
from enamel.library import layers as store
from enamel.library.models import Layer, Piece
from enamel.storage import disk
from enamel.storage.disk import OutOfRoom
from tests.pictures import assert_same_pixels, whole
from tests.schedules import coat
from tests.workers import carry_out, lose_entries, record_heartbeat, wait_for, worker


def never() -> bool:
    return False


def carried_out(firing: Firing) -> Firing:
    assert carry_out(firing)
    firing.refresh_from_db()
    return firing


def pixels_of(layer: Layer) -> Any:
    with store.canvas_of(layer) as canvas:
        return whole(canvas)


def test_a_firing_and_its_job_are_written_together_or_not_at_all(piece: Piece) -> None:
    with transaction.atomic():
        firings.enqueue_schedule(piece.base, coat())
        transaction.set_rollback(True)
    jobs = ProcrastinateJob.objects.filter(task_name="firings.firing")
    assert Firing.objects.count() == jobs.count() == 0
    firing = firings.enqueue_schedule(piece.base, coat())
    (job,) = jobs
    assert job.args == {"job_id": str(firing.pk)}
    assert job.queue_name == "firings"


def test_the_result_is_what_core_makes_and_knows_how_it_was_made(
    piece: Piece, tmp_path: Path
) -> None:
    firing = carried_out(firings.enqueue_schedule(piece.base, coat()))
    assert firing.state == Firing.State.DONE
    layer = firing.result
    assert layer is not None
    with store.canvas_of(piece.base) as base:
        assert_same_pixels(pixels_of(layer), whole(fire(base, coat(), tmp_path).result))
    assert layer.parent == piece.base
    assert layer.seed == 5
    assert layer.model == "grisaille"
    assert len(layer.model_sha256) == len(layer.sha256) == len(layer.content_key) == 64
    assert layer.recipe["coat"]["refine"]["tile"] == [96, 96]
    assert layer.recipe["coat"]["refine"]["sampler"] == "dpm++2m"  # defaults are spelt out too
    assert layer.seconds > 0
    assert layer.ready
    assert firing.done == firing.total == 9
    assert {timing.kind for timing in Timing.objects.all()} == {"refine", "enlarge", "settle"}
    assert not firing.previews.exists()


def test_the_base_is_kept_byte_for_byte(piece: Piece, picture_file: Path) -> None:
    carried_out(firings.enqueue_schedule(piece.base, coat()))
    with piece.base_file.open("rb") as kept:
        assert kept.read() == picture_file.read_bytes()


def test_equal_settings_are_never_computed_twice(piece: Piece) -> None:
    first = carried_out(firings.enqueue_schedule(piece.base, coat()))
    again = carried_out(firings.enqueue_schedule(piece.base, coat()))
    other = carried_out(firings.enqueue_schedule(piece.base, coat(seed=6)))
    assert again.result == first.result
    assert other.result != first.result
    assert piece.layers.count() == 3


def test_each_coat_becomes_a_layer_on_the_last(piece: Piece) -> None:
    schedule = Schedule((*coat(steps=1).coats, Coat(size=(300, 236), upscaler="bicubic")))
    firing = carried_out(firings.enqueue_schedule(piece.base, schedule))
    assert firing.result is not None
    assert firing.result.size == (300, 236)
    assert firing.result.parent is not None
    assert firing.result.parent.size == (224, 176)
    assert firing.result.parent.parent == piece.base


def test_a_layer_whose_worker_died_before_it_was_prepared_is_prepared_by_the_next(
    piece: Piece,
) -> None:
    layer = carried_out(firings.enqueue_schedule(piece.base, coat())).result
    assert layer is not None
    Layer.objects.filter(pk=layer.pk).update(pyramid="", thumbnail="", faces=None, checks=None)
    again = carried_out(firings.enqueue_schedule(piece.base, coat())).result
    assert again == layer
    layer.refresh_from_db()
    assert layer.ready
    assert layer.checked


def test_a_touch_up_becomes_a_layer(piece: Piece) -> None:
    mask = box_mask(Box(30, 20, 48, 40), piece.base.size, 8)
    settings_of = TouchUp((Patch(mask, working=128),))
    firing = carried_out(firings.enqueue_touch_up(piece.base, settings_of))
    assert firing.state == Firing.State.DONE, firing.error
    assert firing.result is not None
    assert firing.result.kind == Layer.Kind.TOUCH_UP
    before, after = pixels_of(piece.base), pixels_of(firing.result)
    assert (before != after).any()
    assert_same_pixels(after[:20], before[:20])


class StopAfter:
    """Asks the firing to stop through the database, as the page does, after some tiles."""

    def __init__(self, firing: Firing, tiles: int) -> None:
        self.firing, self.tiles = firing, tiles

    def __call__(self) -> bool:
        if Firing.objects.get(pk=self.firing.pk).done >= self.tiles:
            firings.stop(self.firing)
        return False


def test_stopped_and_resumed_gives_the_same_pixels(piece: Piece) -> None:
    schedule = coat(tile=(64, 64), overlap=16)
    firing = firings.enqueue_schedule(piece.base, schedule)
    carry_out(firing, StopAfter(firing, 3))
    firing.refresh_from_db()
    assert firing.state == Firing.State.STOPPED
    assert 3 <= firing.done < 20
    assert firing.seconds_left is None
    assert piece.layers.count() == 1
    firings.resume(firing)
    stopped_at = firing.done
    carried_out(firing)
    assert firing.result is not None
    resumed = pixels_of(firing.result)
    assert firing.actual["model_seconds"] > 0
    assert stopped_at > 0
    firing.result.delete()
    undisturbed = carried_out(firings.enqueue_schedule(piece.base, schedule)).result
    assert undisturbed is not None
    assert_same_pixels(resumed, pixels_of(undisturbed))


def test_a_closing_worker_hands_the_firing_back(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    assert not carry_out(firing, lambda: True)
    firing.refresh_from_db()
    assert firing.state == Firing.State.WAITING
    assert carried_out(firing).state == Firing.State.DONE


def test_a_waiting_firing_stops_at_once_and_is_not_run(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    firings.stop(firing)
    assert carried_out(firing).state == Firing.State.STOPPED
    assert piece.layers.count() == 1


def test_what_fails_says_so_in_words_and_can_be_resumed(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    with monkeypatch.context() as patched:

        def broken(*args: object, **more: object) -> None:
            raise OSError(5, "Input/output error")

        patched.setattr(run, "fire", broken)
        carried_out(firing)
    assert firing.state == Firing.State.FAILED
    assert "(Input/output error). What was finished is kept." in firing.error
    firings.resume(firing)
    assert carried_out(firing).state == Firing.State.DONE


def test_a_firing_on_a_full_disk_waits_and_resumes_automatically(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    with monkeypatch.context() as patched:

        def full(*args: object, **more: object) -> None:
            raise OSError(28, "No space left on device")

        patched.setattr(run, "fire", full)
        with pytest.raises(OutOfRoom):
            carry_out(firing)
        firing.refresh_from_db()
        assert (firing.state, firing.attempts) == (Firing.State.WAITING, 0)
        assert "disk is full" in firing.error
        assert "resumes when there is room" in firing.error
    with monkeypatch.context() as patched:  # nor is it begun while there is next to no room
        patched.setattr(disk, "free_bytes", lambda folder: disk.LEAST_ROOM_BYTES - 1)
        with pytest.raises(OutOfRoom):
            carry_out(firing)
    assert carried_out(firing).state == Firing.State.DONE
    assert firing.error == ""


@pytest.mark.django_db(transaction=True)
def test_two_workers_make_one_layer_of_the_same_settings(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    one, other = (firings.enqueue_schedule(piece.base, coat()) for _ in range(2))
    met: list[str] = []

    def meanwhile() -> None:
        try:
            carry_out(other)
        except Busy:
            met.append("busy")
        finally:
            connection.close()

    def slowly(*given: Any, **more: Any) -> Any:
        monkeypatch.setattr(run, "fire", fire)
        thread = Thread(target=meanwhile)
        thread.start()
        thread.join()
        return fire(*given, **more)

    monkeypatch.setattr(run, "fire", slowly)
    assert carry_out(one)
    assert met == ["busy"]
    other.refresh_from_db()
    assert other.state == Firing.State.WAITING
    assert carry_out(other)
    for firing in (one, other):
        firing.refresh_from_db()
        assert (firing.state, firing.error) == (Firing.State.DONE, "")
    assert one.result == other.result
    assert piece.layers.count() == 2


def test_a_stopped_firing_resumes(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    firings.stop(firing)
    firing.refresh_from_db()
    firings.resume(firing)
    assert carried_out(firing).state == Firing.State.DONE


def test_another_model_file_than_at_the_start_is_refused(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    Firing.objects.filter(pk=firing.pk).update(models_used={"grisaille": "0" * 64})
    assert carried_out(firing).state == Firing.State.FAILED
    assert "has changed since this was started" in firing.error


def test_a_firing_whose_worker_dies_every_time_is_given_up(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Killed(BaseException):
        """As when the process ends: nothing is said of it any more."""

    def dies(*args: object, **more: object) -> None:
        raise Killed

    firing = firings.enqueue_schedule(piece.base, coat())
    monkeypatch.setattr(run, "fire", dies)
    for _ in range(Firing.MOST_ATTEMPTS):
        with pytest.raises(Killed):
            carry_out(firing)
    assert carried_out(firing).state == Firing.State.FAILED
    assert "smaller tiles" in firing.error


def test_restarts_in_good_order_are_not_taken_for_lack_of_memory(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat(steps=1))
    for _ in range(Firing.MOST_ATTEMPTS + 1):
        assert not carry_out(firing, lambda: True)
    assert carried_out(firing).state == Firing.State.DONE


def left_by_its_worker(piece: Piece) -> Firing:
    """A firing that says it runs, though neither a worker nor a job is there any more."""
    firing = firings.enqueue_schedule(piece.base, coat(steps=1))
    Firing.objects.filter(pk=firing.pk).update(state=Firing.State.RUNNING)
    lose_entries()
    return firing


def test_a_firing_left_behind_can_be_stopped_and_dismissed(piece: Piece) -> None:
    firing = left_by_its_worker(piece)
    firings.stop(firing)
    firing.refresh_from_db()
    assert firing.state == Firing.State.STOPPED
    firings.dismiss(firing)
    assert not piece.firings.in_sight().exists()


def test_a_firing_left_behind_is_taken_up_again(piece: Piece) -> None:
    firing = left_by_its_worker(piece)
    assert sweeper.sweep() == 1
    assert sweeper.sweep() == 0
    assert carried_out(firing).state == Firing.State.DONE


def test_a_firing_that_nobody_carries_on_is_shown_apart_from_one_that_waits(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    assert firings.unattended(firing)
    record_heartbeat("swatches")
    assert firings.unattended(firing)
    record_heartbeat("firings", "swatches")
    assert not firings.unattended(firing)
    Worker.objects.update(seen=timezone.now() - DEAD_AFTER)
    assert firings.unattended(firing)
    firings.stop(firing)
    firing.refresh_from_db()
    assert not firings.unattended(firing)


def test_stopping_a_waiting_firing_for_good_lets_go_of_its_tiles(piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())
    kept = store.piece_work(piece) / "tiles"
    kept.mkdir(parents=True)
    firings.stop(firing, for_good=True)
    assert not kept.exists()


def test_a_full_disk_is_named_whatever_the_library_says(monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(OutOfRoom):
        describe_error(OSError(28, "No space left on device"), "a test")
    assert "(broken pipe)" in describe_error(OSError("broken pipe"), "a test")
    monkeypatch.setattr("shutil.disk_usage", lambda folder: type("", (), {"free": 0})())
    with pytest.raises(OutOfRoom):
        describe_error(OSError("unable to write to target"), "a test")


@pytest.mark.django_db(transaction=True)
def test_a_worker_outlives_its_database_connection(piece: Piece) -> None:
    """As when the database restarts: every connection of the worker ends in the middle of its work."""
    schedule = coat(steps=25, tile=(64, 64), overlap=16)
    firing = firings.enqueue_schedule(piece.base, schedule)
    at_work = worker("firings")
    try:
        wait_for(lambda: Firing.objects.get(pk=firing.pk).done >= 2, 180, "the first tiles")
        assert Worker.objects.served("firings")
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE datname = current_database() AND pid <> pg_backend_pid()"
            )
        connection.close()
        connection.close_pool()  # type: ignore[attr-defined]  # this process's own are gone too
        wait_for(lambda: not Firing.objects.get(pk=firing.pk).open, 300, "the end of the firing")
        assert at_work.poll() is None
    finally:
        at_work.terminate()
        at_work.wait(20)
    assert Firing.objects.get(pk=firing.pk).state == Firing.State.DONE


def test_work_the_disk_can_not_hold_is_refused_before_it_starts(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("shutil.disk_usage", lambda folder: type("", (), {"free": 10_000})())
    with pytest.raises(Refusal, match="of disk"):
        firings.enqueue_schedule(piece.base, coat())
    assert Firing.objects.count() == 0


@pytest.mark.django_db(transaction=True)
def test_a_killed_worker_leaves_a_firing_that_another_continues(piece: Piece) -> None:
    schedule = coat(steps=15, tile=(64, 64), overlap=16)
    firing = firings.enqueue_schedule(piece.base, schedule)
    first = worker("firings", ENAMEL_THREADS="1")
    try:
        wait_for(
            lambda: Firing.objects.get(pk=firing.pk).done >= 2, 180, "the first worker's tiles"
        )
        first.send_signal(signal.SIGKILL)
        first.wait()
        left = Firing.objects.get(pk=firing.pk)
        assert left.state == Firing.State.RUNNING
        assert left.done < left.total
        kept = len(list(Path(settings.KILN_WORK).rglob("tiles/*.npy")))
        assert kept >= 2
        second = worker("firings")
        try:
            wait_for(lambda: not Firing.objects.get(pk=firing.pk).open, 300, "the second worker")
        finally:
            second.terminate()
            second.wait(20)
    finally:
        first.kill()
    firing.refresh_from_db()
    assert firing.state == Firing.State.DONE, firing.error
    assert firing.result is not None
    resumed = pixels_of(firing.result)
    firing.result.delete()
    assert_same_pixels(resumed, pixels_of_undisturbed(piece, schedule))


def pixels_of_undisturbed(piece: Piece, schedule: Schedule) -> Any:
    shutil.rmtree(store.tile_store().folder)  # so that every tile is computed again
    firing = carried_out(firings.enqueue_schedule(piece.base, schedule))
    assert firing.result is not None
    assert firing.actual["shared"] == 0
    return pixels_of(firing.result)


def test_pyramids_hold_the_picture_tile_by_tile(piece: Piece) -> None:
    from enamel.library.pyramids import archives

    base = piece.base
    top = 7  # 112 × 88 px need levels 0 to 7
    tile = archives.tile(base.pyramid.name, top, 0, 0)
    assert tile is not None
    assert tile.startswith(b"\x89PNG")
    assert archives.tile(base.pyramid.name, 0, 0, 0) is not None
    assert archives.tile(base.pyramid.name, top + 1, 0, 0) is None
    with base.thumbnail.open("rb") as thumbnail:
        assert thumbnail.read(4) == b"RIFF"
    assert isinstance(base.faces, list)
    with store.canvas_of(base) as canvas:
        assert isinstance(canvas, Canvas)
        assert canvas.digest() == base.sha256


def test_enlarging_before_the_first_tile_does_not_lengthen_the_time_that_is_left(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first tile comes after the enlarging; only the tiles after it tell how fast it goes."""
    current = run.Run(firings.enqueue_schedule(piece.base, coat()), lambda: False)
    now = 0.0
    monkeypatch.setattr(run.time, "monotonic", lambda: now)
    current._begin(0)
    total = current.coats[0]["tasks"]
    current.coats[0] |= {"refine_seconds": float(total), "settle_seconds": 0.0}
    left = []
    for done, at in ((1, 60.0), (2, 61.0), (3, 62.0)):  # a minute of enlarging, then a second each
        now = at
        samples = np.zeros((64, 64, 3), np.uint16)
        current._on_progress(Progress(0, done, total, Box(64 * done, 0, 64, 64), samples))
        left.append(current.firing.seconds_left)
    assert left == pytest.approx([total - 1, total - 2, total - 3])


def test_what_a_firing_took_is_what_the_next_one_is_predicted(piece: Piece) -> None:
    for _ in range(2):
        Layer.objects.exclude(kind=Layer.Kind.BASE).delete()
        shutil.rmtree(settings.KILN_WORK, ignore_errors=True)
        last = carried_out(firings.enqueue_schedule(piece.base, coat()))
    timed = Timing.objects.filter(kind="refine")
    assert {(one.model, one.mode, one.tile) for one in timed} == {
        ("grisaille", "separate", "96x96")
    }
    (coat_now,) = firings.predict_schedule(piece.base, coat()).coats
    slowest, fastest = (extreme(one.seconds for one in timed) for extreme in (max, min))
    assert fastest * 0.99 <= coat_now.refine_seconds <= slowest * 1.01
    again = firings.enqueue_schedule(piece.base, coat(seed=6))
    assert again.predicted["seconds"] == pytest.approx(coat_now.seconds, abs=0.01)
    assert last.seconds


def test_only_the_newest_timings_of_a_kind_are_kept(db: None) -> None:
    portion = Portion(Kind.REFINE, 2.0, "grisaille", "joint", "512x512")
    other = Portion(Kind.SETTLE, 2.0)
    Timing.objects.note(other, 1.0)
    for seconds in range(1, KEPT + 6):
        Timing.objects.note(portion, float(seconds))
    assert Timing.objects.count() == KEPT + 1
    assert Timing.objects.filter(kind="refine").earliest("pk").seconds == 6
    assert [timed.seconds for timed in Timing.objects.paces().done[:2]] == [KEPT + 5, KEPT + 4]


def test_what_is_left_is_right_from_the_first_tile_on(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A slow machine is predicted too little; what is left follows its tiles, and comes to nothing."""
    firing = firings.enqueue_schedule(piece.base, coat())
    costs = {"enlarge_seconds": 1.0, "refine_seconds": 90.0, "settle_seconds": 4.0}
    firing.predicted["coats"][0] |= costs
    current = run.Run(firing, never)
    assert current._seconds_left() == pytest.approx(95)
    now = 100.0
    monkeypatch.setattr(run.time, "monotonic", lambda: now)
    reported = []
    for done in range(1, 10):
        current.first = current.first or (now, done)
        reported.append(
            current._seconds_left(Progress(0, done, 9, Box(0, 0, 1, 1), np.zeros((1, 1, 3))))
        )
        now += 20
    at_their_pace = [4 + 20 * (9 - done) for done in range(1, 10)]
    assert reported[0] == pytest.approx(
        84
    )  # as predicted: eight tiles of ten seconds, and settling
    assert reported[-1] == pytest.approx(4)
    off = [predicted / true for predicted, true in zip(reported, at_their_pace, strict=True)]
    assert off[2:] == sorted(off[2:]), "nearer with every tile"
    assert min(off[3:]) > 0.8
