"""Carry out firings and checks, in workers."""

import socket
from collections.abc import Callable
from typing import Any
from uuid import UUID

from django.utils import timezone
from procrastinate import JobContext
from procrastinate.exceptions import JobAborted

from enamel.core.errors import Stopped
from enamel.firings.checking import check_layer
from enamel.firings.models import Firing
from enamel.firings.order import lets_another_go_first
from enamel.firings.queue import enqueue_firing
from enamel.firings.run import Run, end
from enamel.jobs import heartbeats, sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.locks import Busy, advisory_lock, is_locked
from enamel.jobs.queueing import FIRINGS, MAINTENANCE
from enamel.jobs.tasks import task
from enamel.library.models import Layer
from enamel.storage.disk import require_some_room, waiting_for_room

ATTEMPTS = 8
"""A firing whose worker died this often is not tried again by itself."""


@task(FIRINGS, pass_context=True)
def fire_queued(context: JobContext, firing_id: str) -> None:
    """Carry out a firing; a worker that has to close releases it."""
    if not run(UUID(firing_id), context.should_abort):
        raise JobAborted


@task(MAINTENANCE, "Checking a layer")
def check(layer_id: str) -> None:
    """Check a layer that was made before there were checks, or by another version of them."""
    layer = Layer.objects.filter(pk=UUID(layer_id)).first()
    if layer is not None:
        check_layer(layer)


def _enqueue_again(firing: Firing) -> None:
    """Queue a firing that lost its job; one that a worker is carrying out goes on without it."""
    locked = Firing.objects.select_for_update().get(pk=firing.pk)
    if not locked.open or is_locked(locked.pk):
        return
    # its job ended, so the firing did not break off with a worker that died
    locked.state, locked.broken_off = Firing.State.QUEUED, max(0, locked.broken_off - 1)
    locked.save(update_fields=["state", "broken_off"])
    enqueue_firing(locked)


sweeper.register(
    sweeper.JobKind(
        "firings.fire_queued", "firing_id", Firing.objects.open, _enqueue_again, piece="piece"
    )
)


def run(firing_id: UUID, closing: Callable[[], bool]) -> bool:
    """Carry out a firing, or the rest of one. False when the closing worker left it unfinished.

    Raises
    ------
    Busy
        When another worker holds it, or it lets another go first.
    """
    with advisory_lock(firing_id):
        firing = Firing.objects.select_related("piece", "start").get(pk=firing_id)
        if not firing.open:
            return True
        if lets_another_go_first(firing):
            raise Busy
        if firing.broken_off >= ATTEMPTS:
            end(firing, Firing.State.FAILED, "The kiln broke off several times during this "
                 "firing, most likely for lack of memory. Finished tiles are kept; choose smaller "
                 "tiles, or go on when other programs are closed.")  # fmt: skip
            return True
        firing.state = Firing.State.FIRING
        firing.started = firing.started or timezone.now()
        # taken off again when this worker releases it in good order; what is left counts those that died
        firing.broken_off += 1
        firing.host, firing.error = socket.gethostname(), ""
        firing.save(update_fields=["state", "started", "broken_off", "host", "error"])
        try:
            require_some_room()
            with heartbeats.working_on("Firing", firing.piece.owner_id, firing.piece.title):
                Run(firing, closing).run()
        except Stopped:
            if closing():
                Firing.objects.filter(pk=firing.pk).update(
                    state=Firing.State.QUEUED, broken_off=firing.broken_off - 1
                )
                return False
            end(firing, Firing.State.STOPPED)
        except Busy:
            Firing.objects.filter(pk=firing.pk).update(**_requeued(firing))
            raise
        except Exception as error:
            with waiting_for_room(Firing.objects.filter(pk=firing.pk), **_requeued(firing)):
                words = describe_error(error, f"firing {firing.pk}")
            end(firing, Firing.State.FAILED, words)
    return True


def _requeued(firing: Firing) -> dict[str, Any]:
    """Return how a firing waits again, with what was finished; its job is taken up again after a pause."""
    return {"state": Firing.State.QUEUED, "broken_off": firing.broken_off - 1}
