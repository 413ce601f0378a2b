"""Firings: runs of a schedule or of other steps, and their previews."""

import uuid
from datetime import timedelta
from typing import Any, ClassVar

from django.db import models
from django.utils import timezone

from enamel.core.checkpoints import loading
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Size
from enamel.core.networks.cards import CheckpointCard, cards
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.schedule import Coat, Schedule
from enamel.jobs.models import Job, JobQuerySet
from enamel.jobs.queueing import FIRINGS
from enamel.library.models.layers import Layer, refine_of

Step = Coat | TouchUp | tuple[Inlay, ...] | Finish
"""What makes one layer from another."""


def step_from(form: dict[str, Any]) -> Step:
    """Return a step from its stored form: settings under the kind of layer that it makes."""
    ((kind, settings),) = form.items()
    if kind == Layer.Kind.COAT:
        return Coat.from_json(settings)
    if kind == Layer.Kind.TOUCH_UP:
        return TouchUp.from_json(settings)
    if kind == Layer.Kind.FINISH:
        return Finish.from_json(settings)
    return tuple(Inlay.from_json(one) for one in settings["inlays"])


def step_as_json(step: Step) -> dict[str, Any]:
    """Return the form that `step_from` reads."""
    if isinstance(step, tuple):
        return {Layer.Kind.INLAY.value: {"inlays": [to_json(one) for one in step]}}
    kinds = {Coat: Layer.Kind.COAT, TouchUp: Layer.Kind.TOUCH_UP, Finish: Layer.Kind.FINISH}
    return {kinds[type(step)].value: to_json(step)}


class FiringQuerySet(JobQuerySet["Firing"]):
    def in_sight(self) -> "FiringQuerySet":
        """Return those waiting, running, or ended without a result and not dismissed; running ones first."""
        running_first = models.Case(
            models.When(state=Firing.State.RUNNING, then=0),
            models.When(state=Firing.State.WAITING, then=1),
            default=2,
        )
        return self.order_by(running_first, "created").filter(
            models.Q(state__in=Firing.OPEN)
            | models.Q(state__in=[Firing.State.STOPPED, Firing.State.FAILED], dismissed=False)
        )


class Firing(Job):
    """One run of a schedule, or of a touch-up, on a layer. Its settings are frozen at its start."""

    class Work(models.TextChoices):
        SCHEDULE = "schedule", "Schedule"
        TOUCH_UP = "touch-up", "Touch-up"
        INLAY = "inlay", "Inlay"
        FINISH = "finish", "Finish"
        AGAIN = "again", "Done again"
        """Layers after a changed one, made again on its replacement."""
        BATCH = "batch", "Batch"
        """All steps of a batch for one picture."""

    QUEUE = FIRINGS
    LABEL = "Firing"
    STATE_LABELS: ClassVar = {Job.State.RUNNING: "Firing", Job.State.STOPPED: "Paused"}
    PIECE = "piece"
    USES_FINISHED_TILES = True
    MOST_ATTEMPTS = 8
    AFTER_CRASHES = (
        "Finished tiles are kept; choose smaller tiles, or resume when other programs are closed."
    )

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("library.Piece", models.CASCADE, related_name="firings")
    start = models.ForeignKey(Layer, models.RESTRICT, related_name="+")
    work = models.CharField(max_length=10, choices=Work.choices)
    replaces = models.ForeignKey(
        Layer, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The touch-up or finish whose place the result takes.",
    )  # fmt: skip
    frozen = models.JSONField(help_text="The schedule or touch-up, every setting spelt out.")
    models_used = models.JSONField(default=dict, help_text="sha256 of each model at the start.")
    priority = models.SmallIntegerField(default=0, help_text="Higher ones are fired first.")
    coat = models.PositiveIntegerField(default=0, help_text="The coat in work, from 0.")
    done = models.PositiveIntegerField(default=0, help_text="Tile evaluations finished.")
    total = models.PositiveIntegerField(default=0)
    seconds_left = models.FloatField(null=True, blank=True)
    predicted = models.JSONField(default=dict)
    actual = models.JSONField(default=dict)
    dismissed = models.BooleanField(default=False, help_text="Ended, and no longer shown.")
    result = models.ForeignKey(Layer, models.SET_NULL, null=True, blank=True, related_name="+")

    objects = FiringQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.get_work_display()} on {self.start}: {self.state_label}"

    @property
    def refine(self) -> dict[str, Any] | None:
        """The settings of its last refinement, if it has one."""
        return refine_of(self.last_step)

    @property
    def last_step(self) -> dict[str, Any]:
        """The settings of its last step: a coat, a touch-up, an inlay or a finish."""
        if self.work == self.Work.SCHEDULE:
            last: dict[str, Any] = self.frozen["coats"][-1]
        elif self.work in (self.Work.AGAIN, self.Work.BATCH):
            ((_, last),) = self.frozen["steps"][-1].items()
        else:
            last = self.frozen
        return last

    @property
    def queue_priority(self) -> int:
        return self.priority

    @property
    def url(self) -> str:
        """Address of its result, compared with the layer that it started from."""
        return f"{self.piece.get_absolute_url()}?layer={self.result_id}&against={self.start_id}"

    def _end(self, state: str, **fields: Any) -> bool:
        return super()._end(state, seconds_left=None, **fields)

    def may_begin(self) -> bool:
        return not lets_another_go_first(self)

    def schedule(self) -> Schedule:
        return Schedule.from_json(self.frozen)

    def steps(self) -> list[Step]:
        """Return its steps, each of which makes a layer."""
        if self.work == self.Work.SCHEDULE:
            return list(self.schedule().laid)
        if self.work in (self.Work.AGAIN, self.Work.BATCH):
            return [step_from(form) for form in self.frozen["steps"]]
        return [step_from({self.work: self.frozen})]

    @property
    def size(self) -> Size:
        """Size of its last layer."""
        if self.result is not None:
            return self.result.size
        coats = tuple(step for step in self.steps() if isinstance(step, Coat))
        return Schedule(coats).sizes(self.start.size)[-1] if coats else self.start.size


PATIENCE = timedelta(minutes=10)
"""How long a firing waits for others at most."""


def lets_another_go_first(firing: Firing) -> bool:
    """Return whether a firing that needs another checkpoint waits for one that needs the loaded one.

    Loading a checkpoint takes a while, so firings that can use the one in memory go first, for a time.
    """
    loaded = loading.loaded_name()
    if loaded is None or loaded in firing.models_used:
        return False
    own = {card.name for card in cards() if isinstance(card, CheckpointCard)}
    if not own & set(firing.models_used) or timezone.now() - firing.created > PATIENCE:
        return False
    waiting = Firing.objects.filter(state=Firing.State.WAITING, models_used__has_key=loaded)
    return waiting.exists()


class TilePreview(models.Model):
    """A part of a running firing as it looks now. Deleted when the firing ends."""

    firing = models.ForeignKey(Firing, models.CASCADE, related_name="previews")
    number = models.PositiveIntegerField(
        help_text="Rises with every change, so news can be asked for."
    )
    x = models.FloatField(help_text="Place and size as fractions of the picture.")
    y = models.FloatField()
    width = models.FloatField()
    height = models.FloatField()
    image = models.BinaryField(help_text="WebP.")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["firing", "x", "y"], name="one_preview_per_place"),
        ]

    def __str__(self) -> str:
        return f"tile at {self.x:.3f}, {self.y:.3f} of {self.firing_id}"
