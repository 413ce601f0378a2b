"""The one life of all jobs: every transition raced by two connections, and cut off on either side."""

import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import OperationalError, connection
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Stopped
from enamel.jobs import running, services, sweeper
from enamel.jobs.locks import Busy, advisory_lock
from enamel.jobs.models import Job
from enamel.jobs.running import carry_out, run_once
from enamel.storage import disk
from enamel.storage.disk import OutOfRoom
from enamel.uploads import jobs as uploads
from enamel.uploads.models import Upload
from tests.workers import lose_entries

pytestmark = pytest.mark.django_db(transaction=True)
State = Upload.State
Reader = Callable[[Upload], None]


class Killed(BaseException):
    """As when the process ends: nothing after it is run."""


@pytest.fixture
def job(artist: User) -> Upload:
    """A job that waits, with its entry in a queue."""
    upload = Upload(owner=artist, kind="test", name="eye.png")
    services.submit(upload)
    return upload


@pytest.fixture
def reads(monkeypatch: pytest.MonkeyPatch) -> Callable[[Reader], None]:
    """Set what the work of the job is."""

    def set_reader(reader: Reader) -> None:
        monkeypatch.setitem(uploads._readers, "test", reader)

    set_reader(finish)
    return set_reader


def finish(upload: Upload) -> None:
    upload.finish()


def fresh(job: Upload) -> Upload:
    return Upload.objects.get(pk=job.pk)


def entries(job: Job) -> int:
    found = ProcrastinateJob.objects.filter(task_name="uploads.upload", status="todo")
    return found.filter(args__job_id=str(job.pk)).count()


def race(*acts: Callable[[], Any]) -> list[Any]:
    """Return the results of acts that began at the same time, each on its own connection."""
    barrier, results = threading.Barrier(len(acts)), [None] * len(acts)

    def run(number: int, act: Callable[[], Any]) -> None:
        try:
            connection.ensure_connection()
            barrier.wait(10)
            results[number] = act()
        except Exception as error:
            results[number] = type(error)  # type: ignore[call-overload]
        finally:
            connection.close()

    threads = [threading.Thread(target=run, args=pair) for pair in enumerate(acts)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20)
    return results


MOVES: dict[str, tuple[str, Callable[[Upload], bool]]] = {
    "begin": (State.WAITING, lambda one: one.begin("tower")),
    "release": (State.RUNNING, lambda one: one.release()),
    "finish": (State.RUNNING, lambda one: one.finish()),
    "fail": (State.RUNNING, lambda one: one.fail("broken")),
    "mark stopped": (State.RUNNING, lambda one: one.mark_stopped()),
    "resume a stopped one": (State.STOPPED, services.resume),
    "resume a failed one": (State.FAILED, services.resume),
}


@pytest.mark.parametrize("name", MOVES)
@pytest.mark.parametrize("other", MOVES)
def test_of_two_that_move_a_job_at_once_the_second_sees_what_the_first_did(
    job: Upload, name: str, other: str
) -> None:
    """However two moves fall together, the result is that of one after the other."""
    state, move = MOVES[name]
    _, second = MOVES[other]
    Upload.objects.filter(pk=job.pk).update(state=state, attempts=3)
    expected = set()
    for acts in ((move, second), (second, move)):
        Upload.objects.filter(pk=job.pk).update(state=state, attempts=3)
        answers = {act: act(fresh(job)) for act in acts}
        expected.add((answers[move], answers[second], fresh(job).state))
    Upload.objects.filter(pk=job.pk).update(state=state, attempts=3)
    one, two = fresh(job), fresh(job)
    if move is second:
        answers_now = race(lambda: move(one), lambda: second(two))
        if name != "begin":  # whoever begins an open job may; the lock keeps the second one out
            assert sorted(answers_now) == [False, True]
        return
    found = race(lambda: move(one), lambda: second(two))
    assert (*found, fresh(job).state) in expected


def test_one_of_two_workers_begins_a_job(job: Upload, reads: Callable[[Reader], None]) -> None:
    made: list[int] = []
    inside, leave = threading.Event(), threading.Event()

    def slowly(upload: Upload) -> None:
        made.append(1)
        inside.set()
        leave.wait(10)
        upload.finish()

    def late() -> Any:
        inside.wait(10)
        try:
            return carry_out(fresh(job))
        finally:
            leave.set()

    reads(slowly)
    assert race(lambda: carry_out(fresh(job)), late) == [True, Busy]
    assert (made, fresh(job).state) == ([1], State.DONE)
    assert carry_out(fresh(job))  # an entry too many finds nothing to do
    assert made == [1]


@pytest.mark.parametrize("again", range(5))
def test_a_stop_and_a_beginning_at_once_end_stopped_or_never_begun(
    job: Upload, reads: Callable[[Reader], None], again: int
) -> None:
    def until_stopped(upload: Upload) -> None:
        for _ in range(400):
            if fresh(upload).stop_requested:
                raise Stopped
            threading.Event().wait(0.01)
        upload.finish()

    reads(until_stopped)
    race(lambda: services.stop(fresh(job)), lambda: carry_out(fresh(job)))
    assert fresh(job).state == State.STOPPED


def test_a_stop_of_a_job_whose_worker_died_is_at_once(job: Upload) -> None:
    job.begin("tower")
    services.stop(job)
    assert fresh(job).state == State.STOPPED


def test_a_stop_of_a_job_that_a_worker_is_at_waits_for_it(job: Upload) -> None:
    def stop() -> None:
        services.stop(fresh(job))

    with advisory_lock(job.lock):
        job.begin("tower")
        race(stop)
        assert (fresh(job).state, fresh(job).stop_requested) == (State.RUNNING, True)


def test_resumed_twice_at_once_it_is_queued_once(job: Upload) -> None:
    lose_entries()
    Upload.objects.filter(pk=job.pk).update(state=State.STOPPED, stop_requested=True)
    assert sorted(race(*[lambda: services.resume(fresh(job))] * 2)) == [False, True]
    assert entries(job) == 1
    assert (fresh(job).state, fresh(job).stop_requested) == (State.WAITING, False)


def test_a_submission_is_whole_or_not_at_all(artist: User, monkeypatch: pytest.MonkeyPatch) -> None:
    def dies(*given: object, **more: object) -> None:
        raise Killed

    monkeypatch.setattr(services, "enqueue", dies)
    with pytest.raises(Killed):
        services.submit(Upload(owner=artist, kind="test", name="eye.png"))
    assert not Upload.objects.exists()


@pytest.mark.parametrize("when", ["before", "after"])
@pytest.mark.parametrize("move", ["begin", "finish", "fail", "release", "mark_stopped"])
def test_a_worker_that_dies_on_either_side_of_a_transition_leaves_a_job_that_ends_once(
    job: Upload,
    reads: Callable[[Reader], None],
    monkeypatch: pytest.MonkeyPatch,
    move: str,
    when: str,
) -> None:
    ended: list[int] = []

    def reader(upload: Upload) -> None:
        if move == "fail":
            raise OSError("broken")
        if move == "release" and not ended:
            raise Busy
        if move == "mark_stopped" and upload.attempts == 1:
            Upload.objects.filter(pk=upload.pk).update(stop_requested=True)
            raise Stopped
        if upload.finish():
            ended.append(1)

    really = getattr(Upload, move)

    def dies(self: Upload, *given: Any, **more: Any) -> bool:
        if when == "after":
            really(self, *given, **more)
        raise Killed

    reads(reader)
    with monkeypatch.context() as patched:
        patched.setattr(Upload, move, dies)
        with pytest.raises(Killed):
            carry_out(fresh(job))
    if move == "release":
        ended.append(0)
    lose_entries()
    was_open = fresh(job).open
    assert sweeper.sweep() == (1 if was_open else 0)
    if was_open:
        assert entries(job) == 1
        carry_out(fresh(job))
    expected = {"fail": State.FAILED, "mark_stopped": State.STOPPED}.get(move, State.DONE)
    assert fresh(job).state == expected
    assert sum(ended) <= 1
    assert sweeper.sweep() == 0


def test_the_sweeper_and_a_worker_at_once_leave_the_job_to_the_worker(
    job: Upload, reads: Callable[[Reader], None]
) -> None:
    """A lost entry is made anew, but never is a job taken from a worker that is at it."""
    lose_entries()

    def slowly(upload: Upload) -> None:
        threading.Event().wait(0.3)
        upload.finish()

    reads(slowly)
    race(sweeper.sweep, lambda: carry_out(fresh(job)))
    assert fresh(job).state == State.DONE


def test_a_deleted_job_stops_and_leaves_nothing(
    job: Upload, reads: Callable[[Reader], None]
) -> None:
    finished: list[bool] = []

    def deleted_meanwhile(upload: Upload) -> None:
        Upload.objects.filter(pk=upload.pk).delete()
        finished.append(upload.finish())

    reads(deleted_meanwhile)
    assert carry_out(job)
    assert finished == [False]
    assert not Upload.objects.exists()


def test_what_passes_is_no_failed_attempt(
    job: Upload, reads: Callable[[Reader], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    def busy(upload: Upload) -> None:
        raise Busy

    def full(upload: Upload) -> None:
        raise OSError(28, "No space left on device")

    for reader, error in ((busy, Busy), (full, OutOfRoom)):
        reads(reader)
        for _ in range(Upload.MOST_ATTEMPTS + 1):
            with pytest.raises(error):
                carry_out(fresh(job))
        assert (fresh(job).state, fresh(job).attempts) == (State.WAITING, 0)
    assert fresh(job).error == disk.FULL
    reads(finish)
    assert carry_out(fresh(job))
    assert (fresh(job).state, fresh(job).error, fresh(job).progress) == (State.DONE, "", 1.0)


def test_a_lost_database_is_tried_again(job: Upload, reads: Callable[[Reader], None]) -> None:
    def lost(upload: Upload) -> None:
        raise OperationalError("the connection is closed")

    reads(lost)
    with pytest.raises(OperationalError):
        carry_out(fresh(job))
    assert fresh(job).open


def test_a_job_is_identified_by_its_kind_too(job: Upload) -> None:
    """Numbers of two kinds may be the same; their locks are not."""
    kinds = Job.kinds()
    assert len(kinds) >= 7
    assert len({kind(pk=job.pk).lock for kind in kinds}) == len(kinds)


def test_every_kind_is_carried_out_and_swept() -> None:
    assert set(running._kinds) == set(Job.kinds())
    assert {kind._meta.label_lower for kind in Job.kinds()} <= set(sweeper._kinds)


def test_an_order_needs_no_room_on_the_disk() -> None:
    assert not any(kind.NEEDS_ROOM for kind in Job.kinds() if kind._meta.app_label == "orders")


def test_work_that_ends_without_a_result_is_no_job_for_ever(
    job: Upload, reads: Callable[[Reader], None]
) -> None:
    reads(lambda upload: None)
    assert carry_out(job)
    assert fresh(job).state == State.FAILED
    assert "without a result" in fresh(job).error


def test_a_job_says_how_long_its_last_run_took(
    job: Upload, reads: Callable[[Reader], None]
) -> None:
    assert run_once(job).ended
    assert job.seconds is not None
    assert 0 <= job.seconds < 5
    assert fresh(job).seconds == job.seconds
