"""The abstract job: work that is submitted, waits in a queue, is carried out by a worker, and ends."""

from collections.abc import Collection
from functools import reduce
from typing import Any, ClassVar, Self, TypeVar

from django.apps import apps
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.db import models, transaction
from django.db.models import F
from django.db.models.functions import Greatest
from django.utils import timezone

from enamel.jobs.locks import is_locked
from enamel.jobs.queueing import MAINTENANCE

J = TypeVar("J", bound="Job")


class JobQuerySet(models.QuerySet[J]):
    """Jobs of one kind."""

    def of(self, person: AbstractBaseUser | AnonymousUser) -> Self:
        """Return jobs on the person's own pieces; those of deleted pieces are left out."""
        piece = self.model.PIECE
        return self.filter(**{f"{piece}__owner_id": person.pk, f"{piece}__deleted_at": None})

    def open(self) -> Self:
        """Return those that wait or run."""
        return self.filter(state__in=self.model.OPEN)

    def stop(self) -> None:
        """Stop those that are open: a running one stops after its current tile, a waiting one is not
        begun.
        """
        states = self.model.State
        self.open().update(stop_requested=True)
        self.filter(state=states.WAITING).update(state=states.STOPPED)
        for pk in list(self.filter(state=states.RUNNING).values_list("pk", flat=True)):
            with transaction.atomic():
                job = self.model._default_manager.select_for_update().filter(pk=pk).first()
                if job is not None and not is_locked(job.lock):  # its worker died
                    job.mark_stopped()


class Job(models.Model):
    """Work on a piece or a file that a worker carries out.

    The row is the job: its state is changed by `transition` alone, one conditional UPDATE each. The entry
    in the queue only names the row; an entry that is lost is put back by the sweeper, and one too many
    finds nothing to do.
    """

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        STOPPED = "stopped", "Stopped"
        FAILED = "failed", "Failed"

    OPEN: ClassVar[tuple[str, ...]] = (State.WAITING, State.RUNNING)
    """States in which a worker has something to do."""
    QUEUE: ClassVar[str] = MAINTENANCE
    LABEL: ClassVar[str]
    """What the kiln's page calls the work: “Making swatches”."""
    STATE_LABELS: ClassVar[dict[str, str]] = {}
    """What this kind of job calls its states, where it is not as above."""
    PIECE: ClassVar[str] = ""
    """Lookup from the job to its piece."""
    GROUP: ClassVar[str] = ""
    """Field that names what it was submitted with, such as a sheet; its jobs are shown as one."""
    USES_FINISHED_TILES: ClassVar[bool] = False
    """Whether it works in the piece's folder of finished tiles, which stays while the job is open."""
    NEEDS_ROOM: ClassVar[bool] = True
    """Whether it waits while the disk is full."""
    MOST_ATTEMPTS: ClassVar[int] = 4
    """A job whose worker died this often fails."""
    AFTER_CRASHES: ClassVar[str] = ""
    """What is said of such a job."""

    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    stop_requested = models.BooleanField(default=False)
    attempts = models.PositiveIntegerField(
        default=0, help_text="Times that a worker began it and neither ended nor released it."
    )
    progress = models.FloatField(default=0, help_text="How much of it is done, 0…1.")
    predicted_seconds = models.FloatField(null=True, blank=True)
    seconds = models.FloatField(null=True, blank=True, help_text="What the last run took.")
    error = models.TextField(blank=True, help_text="Why it failed, or what it waits for.")
    host = models.CharField(max_length=100, blank=True, help_text="Machine that it was last on.")
    created = models.DateTimeField(default=timezone.now)
    started = models.DateTimeField(null=True, blank=True, help_text="When it was last begun.")
    ended = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True

    # what it is ---------------------------------------------------------------------------------

    @property
    def open(self) -> bool:
        return self.state in self.OPEN

    @property
    def state_label(self) -> str:
        return self.STATE_LABELS.get(self.state) or str(self.State(self.state).label)

    @property
    def lock(self) -> str:
        """Name of the advisory lock that its worker holds while it runs."""
        return f"{self._meta.label} {self.pk}"

    @property
    def queue_priority(self) -> int:
        """Jobs of higher priority are taken first."""
        return 0

    @property
    def artist_id(self) -> int | None:
        """The artist whose job it is; None where it is everybody's."""
        return int(self._piece.owner_id)

    @property
    def subject(self) -> str:
        """What it is done to: the piece's title."""
        return str(self._piece.title)

    @property
    def _piece(self) -> Any:
        return reduce(getattr, self.PIECE.split("__"), self)

    @property
    def url(self) -> str:
        """Address of the page that shows it, if there is one."""
        return ""

    @property
    def seconds_left(self) -> float | None:
        """Seconds until it is done; None where that is not known."""
        return None

    @classmethod
    def kinds(cls) -> "list[type[Job]]":
        """Return all kinds of jobs: every concrete subclass."""
        return [kind for kind in apps.get_models() if issubclass(kind, Job)]

    # states -------------------------------------------------------------------------

    def transition(self, to: str, *, only_from: Collection[str], **fields: Any) -> bool:
        """Move the job to another state unless somebody else was first.

        Parameters
        ----------
        only_from : states that it may be moved out of.
        fields : further columns to set with it.

        Returns
        -------
        Whether this call moved it. The instance then has the new values.
        """
        return self._update(only_from, state=to, **fields)

    def record(self, **fields: Any) -> bool:
        """Store facts of a job that is open; return False when it has ended or was deleted meanwhile."""
        return self._update(self.OPEN, **fields)

    def _update(self, only_from: Collection[str], **fields: Any) -> bool:
        # the two conditions are one object, so that no field can be called as they are
        there: models.Q = models.Q(pk=self.pk) & models.Q(("state__in", list(only_from)))
        if not type(self)._default_manager.filter(there).update(**fields):
            return False
        for name, value in fields.items():
            setattr(self, name, value)
        return True

    def may_begin(self) -> bool:
        """Return whether nothing else should go first."""
        return True

    def begin(self, host: str) -> bool:
        """Note that a worker begins it; return whether there is anything to do."""
        fields = {"host": host, "started": timezone.now(), "error": "", "progress": 0.0}
        attempts = F("attempts") + 1
        return self._update(self.OPEN, state=self.State.RUNNING, attempts=attempts, **fields)

    def release(self, error: str = "") -> bool:
        """Let it wait again because its worker closes, or for the reason given; this is no failed attempt."""
        fewer = Greatest(F("attempts") - 1, 0)
        return self.transition(
            self.State.WAITING, only_from=[self.State.RUNNING], attempts=fewer, error=error
        )

    def finish(self, **fields: Any) -> bool:
        """End it as done, with its results; return False when it was stopped or deleted meanwhile."""
        return self._end(self.State.DONE, progress=1.0, **fields)

    def fail(self, error: str) -> bool:
        """End it with the reason why it failed."""
        return self._end(self.State.FAILED, error=error)

    def mark_stopped(self) -> bool:
        """End it because a stop was requested."""
        return self._end(self.State.STOPPED)

    def _end(self, state: str, **fields: Any) -> bool:
        now = timezone.now()
        took = {"seconds": (now - self.started).total_seconds()} if self.started else {}
        ended = {"ended": now, "attempts": 0} | took | fields
        return self.transition(state, only_from=[self.State.RUNNING], **ended)
