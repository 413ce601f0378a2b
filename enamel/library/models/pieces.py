"""Pieces, each with its current schedule and print."""

import uuid
from dataclasses import replace
from datetime import timedelta
from typing import ClassVar

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models, transaction
from django.urls import reverse
from django.utils import timezone
from django.utils.functional import cached_property

from enamel.accounts.people import Person
from enamel.catalogue.models import SUBJECTS, Suited, SuitedModels
from enamel.core.diffusion.noise import SEEDS
from enamel.core.faces.detection import Face
from enamel.core.intake.provenance import Provenance
from enamel.core.intake.subject import Subject
from enamel.core.printing.layout import PrintPlan
from enamel.core.printing.sizing import PrintTarget
from enamel.core.schedule import Coat, Refine, Schedule, differences
from enamel.library.models.layers import Layer, face_from

THROWN_AWAY_FOR = timedelta(days=30)
"""How long a piece that was deleted can be restored."""
STEPS_KEPT = 200
"""How many changes of a schedule can be undone."""
TYPING = timedelta(seconds=2)
"""Changes of the same setting within this time count as one."""


class PieceQuerySet(models.QuerySet["Piece"]):
    def of(self, person: Person) -> "PieceQuerySet":
        """Return the pieces that belong to this person and are not deleted."""
        return self.filter(owner_id=person.pk, deleted_at=None)

    def recently_deleted(self, person: Person) -> "PieceQuerySet":
        """Return the person's pieces that can still be restored, the last deleted first."""
        since = timezone.now() - THROWN_AWAY_FOR
        own = self.filter(owner_id=person.pk, deleted_at__gt=since)
        return own.order_by("-deleted_at")

    def past_restoring(self) -> "PieceQuerySet":
        """Return those whose time to be restored has passed."""
        return self.filter(deleted_at__lte=timezone.now() - THROWN_AWAY_FOR)

    def found(self, words: str) -> "PieceQuerySet":
        """Return those in whose title, tags, notes or prompt every word occurs."""
        found = self
        for word in words.split():
            found = found.filter(
                models.Q(title__icontains=word)
                | models.Q(notes__icontains=word)
                | models.Q(tags__icontains=word)
                | models.Q(made__prompt__icontains=word)
            )
        return found

    def with_newest_layer(self) -> "PieceQuerySet":
        """Return each with the layer made last, as ``newest_layers``, in one more query for all."""
        last = Layer.objects.filter(piece=models.OuterRef("piece")).order_by("-created")
        newest = Layer.objects.filter(pk=models.Subquery(last.values("pk")[:1]))
        return self.prefetch_related(models.Prefetch("layers", newest, to_attr="newest_layers"))

    def with_base(self) -> "PieceQuerySet":
        """Return each with its base, in one more query for all."""
        bases = Layer.objects.filter(kind=Layer.Kind.BASE)
        return self.prefetch_related(models.Prefetch("layers", bases, to_attr="bases"))

    def by_mark(self) -> "PieceQuerySet":
        """Return each with ``mark_order``: keep, maybe, unmarked, drop."""
        places = {Piece.Mark.KEEP: 0, Piece.Mark.MAYBE: 1, "": 2, Piece.Mark.DROP: 3}
        whens = [models.When(mark=mark, then=place) for mark, place in places.items()]
        return self.annotate(mark_order=models.Case(*whens, output_field=models.IntegerField()))

    def tags_used(self) -> list[str]:
        """Return all their tags, each once, in order."""
        used = self.annotate(tag=models.Func("tags", function="unnest")).values_list(
            "tag", flat=True
        )
        return sorted(set(used))


class Piece(models.Model):
    """One picture on its way to print: an untouched base and everything made from it."""

    class Mark(models.TextChoices):
        """The artist's verdict on a candidate."""

        KEEP = "keep", "Keep"
        MAYBE = "maybe", "Maybe"
        DROP = "drop", "Drop"

    PIECE: ClassVar = ""
    FILES_ARE: ClassVar = "files as they were imported"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="pieces")
    title = models.CharField(max_length=200)
    created = models.DateTimeField(default=timezone.now)
    deleted_at = models.DateTimeField(null=True, blank=True)
    base_file = models.FileField(upload_to="bases/", help_text="The file as it was imported.")
    base_name = models.CharField(max_length=255)
    schedule_kept = models.JSONField(
        null=True, blank=True, help_text="The current schedule; none before the first change."
    )
    base_facts = models.JSONField(default=dict, help_text="What the file says of itself.")
    made = models.JSONField(default=dict, help_text="How the base was made, as it is known.")
    made_by_model = models.BooleanField(
        default=True, help_text="Whether a generative model made the base."
    )
    print_kept = models.JSONField(null=True, blank=True, help_text="The current print.")
    notes = models.TextField(blank=True)
    mark = models.CharField(max_length=5, choices=Mark.choices, blank=True)
    tags = ArrayField(models.CharField(max_length=40), default=list, blank=True)
    likeness = models.BigIntegerField(null=True, help_text="Perceptual hash of the base.")
    copy_of = models.ForeignKey(
        "self", models.SET_NULL, null=True, blank=True, related_name="copies"
    )
    cuts = models.JSONField(null=True, help_text="Columns and rows of a contact sheet, in px.")
    step = models.PositiveIntegerField(
        default=0, help_text="Which change of the schedule is current."
    )
    faces_kept = models.JSONField(
        null=True, blank=True,
        help_text="Faces on the base as the artist put them right; none while they are as found.",
    )  # fmt: skip
    subject = models.CharField(
        max_length=12, choices=list(SUBJECTS.items()), default=Subject.PHOTO.value
    )

    objects = PieceQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]
        indexes = [
            models.Index(fields=["owner", "-created"], name="pieces_of_an_artist"),
        ]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("piece", args=[self.pk])

    @property
    def schedule(self) -> Schedule:
        """The current schedule: one plain coat before the first change."""
        return self.schedule_by(None)

    @property
    def starting_schedule(self) -> Schedule:
        """One coat with the models that suit the picture, and the words and seed that made it."""
        return self._starting_schedule(Suited.read())

    def schedule_by(self, suited: SuitedModels | None) -> Schedule:
        """Return the current schedule. ``suited`` saves reading the suited models again for each of many
        pieces.
        """
        if self.schedule_kept is None:
            return self._starting_schedule(suited or Suited.read())
        return Schedule.from_json(self.schedule_kept)

    def _starting_schedule(self, suited: SuitedModels) -> Schedule:
        made = self.how_made
        seed = made.seed_number
        upscaler, refiner = suited.to(Subject(self.subject))
        refine = Refine(
            model=refiner,
            prompt=made.prompt,
            negative_prompt=made.negative_prompt,
            seed=seed if seed is not None and seed < SEEDS else 0,
        )
        return Schedule((Coat(factor=2.0, upscaler=upscaler, refine=refine),))

    @property
    def how_made(self) -> Provenance:
        return Provenance.from_json(self.made)

    @property
    def print_plan(self) -> PrintPlan:
        """The current print; before the first change an A4 sheet in the picture's orientation."""
        if self.print_kept:
            return PrintPlan.from_json(self.print_kept)
        wide = self.base_facts.get("width", 0) > self.base_facts.get("height", 0)
        return PrintPlan(PrintTarget().turned if wide else PrintTarget())

    def keep_print(self, plan: PrintPlan) -> None:
        self.print_kept = plan.to_json()
        self.save(update_fields=["print_kept"])

    @transaction.atomic
    def keep_schedule(self, schedule: Schedule) -> None:
        """Replace the current schedule as a change that can be undone. What was undone before is deleted."""
        # a page may send two changes at once; the second waits for the first
        waiting = Piece._base_manager.select_for_update()
        self.refresh_from_db(fields=["step", "schedule_kept"], from_queryset=waiting)
        fresh, now = schedule.to_json(), self.schedule.to_json()
        if fresh == now:
            return
        self.steps.filter(place__gt=self.step).delete()
        last = self.steps.filter(place=self.step).first()
        if last is None:
            last = self.steps.create(place=self.step, schedule=now)
        changed = [path for path, _, _ in differences(now, fresh)]
        typed = timezone.now() - last.created < TYPING and changed == last.changed
        if not typed:
            self.step += 1
        self.steps.update_or_create(
            place=self.step,
            defaults={"schedule": fresh, "changed": changed, "created": timezone.now()},
        )
        self.steps.filter(place__lt=self.step - STEPS_KEPT).delete()
        self.schedule_kept = fresh
        self.save(update_fields=["schedule_kept", "step"])

    def undo(self) -> bool:
        """Undo the last change of the schedule; return False when there was none."""
        return self._go_by(-1)

    def redo(self) -> bool:
        """Redo the change undone last; return False when there was none."""
        return self._go_by(1)

    @transaction.atomic
    def _go_by(self, steps: int) -> bool:
        # a page may send two at once; the second waits for the first and goes on from there
        waiting = Piece._base_manager.select_for_update()
        self.refresh_from_db(fields=["step", "schedule_kept"], from_queryset=waiting)
        place = self.step + steps
        step = self.steps.filter(place=place).first()
        if step is None:
            return False
        self.step = place
        self.schedule_kept = step.schedule
        self.save(update_fields=["schedule_kept", "step"])
        return True

    @property
    def undoable(self) -> tuple[bool, bool]:
        """Whether there is a change to undo, and one to redo."""
        places = set(
            self.steps.filter(place__in=[self.step - 1, self.step + 1]).values_list(
                "place", flat=True
            )
        )
        return self.step - 1 in places, self.step + 1 in places

    @property
    def newest(self) -> "Layer":
        """The layer made last. Only on pieces from `PieceQuerySet.with_newest_layer`."""
        brought: list[Layer] = getattr(self, "newest_layers")  # noqa: B009
        return brought[0]

    @cached_property
    def base(self) -> "Layer":
        """The layer that all others come from; `PieceQuerySet.with_base` saves its query."""
        brought: list[Layer] = getattr(self, "bases", [])
        return brought[0] if brought else self.layers.get(kind=Layer.Kind.BASE)

    def faces_on(self, layer: Layer) -> list[Face]:
        """Return the piece's faces, as found on the base or corrected by hand, in px of a layer."""
        kept = self.faces_kept
        faces = self.base.found_faces if kept is None else [face_from(form) for form in kept]
        scale = layer.width / self.base.width
        return [replace(face, box=face.box.scaled(scale)) for face in faces]

    def layer_at(self, content_key: str) -> "Layer | None":
        """Return the layer with this content key, if it exists."""
        return self.layers.filter(content_key=content_key).first()


class ScheduleStep(models.Model):
    """An earlier schedule, so that every change can be undone."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="steps")
    place = models.PositiveIntegerField()
    schedule = models.JSONField()
    changed = models.JSONField(default=list, help_text="Paths of the settings that changed.")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["place"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "place"], name="one_schedule_per_step"),
        ]

    def __str__(self) -> str:
        return f"{self.piece}, change {self.place}"
