"""Pieces, their layers, and the firings that make them."""

import uuid
from typing import Any

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.db import models
from django.urls import reverse
from django.utils import timezone
from django.utils.functional import cached_property

from enamel.core.geometry import Size
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.subject import Subject
from enamel.core.touchup import TouchUp
from enamel.core.upscale.resample import FILTERS
from enamel.core.weights import Card, cards

Person = AbstractBaseUser | AnonymousUser


SUBJECTS = {
    Subject.PAINTED: "Photograph or painting",
    Subject.DRAWING: "Line art, flats, lettering",
    Subject.TEXTURE: "Rich in texture",
    Subject.COMPRESSED: "Compressed or noisy",
}
"""Kinds of pictures in the artist's words."""


class PieceQuerySet(models.QuerySet["Piece"]):
    def of(self, person: Person) -> "PieceQuerySet":
        """The pieces that belong to this person and are not thrown away."""
        return self.filter(owner_id=person.pk, deleted_at=None)

    def with_layers(self) -> "PieceQuerySet":
        """Each with its layers, oldest first, in one more query for all."""
        return self.prefetch_related(models.Prefetch("layers", Layer.objects.order_by("created")))


class Piece(models.Model):
    """One picture on its way to print: an untouched base and everything made from it."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="pieces")
    title = models.CharField(max_length=200)
    created = models.DateTimeField(default=timezone.now)
    deleted_at = models.DateTimeField(null=True, blank=True)
    base_file = models.FileField(upload_to="bases/", help_text="The file as it was brought in.")
    base_name = models.CharField(max_length=255)
    schedule_kept = models.JSONField(
        null=True, blank=True, help_text="The schedule in hand; none before the first change."
    )
    base_facts = models.JSONField(default=dict, help_text="What the file says of itself.")
    subject = models.CharField(
        max_length=12, choices=list(SUBJECTS.items()), default=Subject.PAINTED.value
    )

    objects = PieceQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("piece", args=[self.pk])

    @property
    def subjects(self) -> list[tuple[str, str]]:
        """The kinds of pictures, to choose from."""
        return list(SUBJECTS.items())

    @property
    def schedule(self) -> Schedule:
        """The schedule in hand: one plain coat before the first change."""
        if self.schedule_kept is None:
            upscaler = Suited.upscaler_for(Subject(self.subject))
            return Schedule((Coat(factor=2.0, upscaler=upscaler, refine=Refine()),))
        return Schedule.from_json(self.schedule_kept)

    def keep_schedule(self, schedule: Schedule) -> None:
        self.schedule_kept = schedule.to_json()
        self.save(update_fields=["schedule_kept"])

    @property
    def newest(self) -> "Layer":
        """The layer made last, of those that `PieceQuerySet.with_layers` brought."""
        return list(self.layers.all())[-1]

    @cached_property
    def base(self) -> "Layer":
        """The layer that all others come from."""
        return self.layers.get(kind=Layer.Kind.BASE)

    def layer_at(self, address: str) -> "Layer | None":
        """The layer of that address, if it was made already."""
        return self.layers.filter(address=address).first()


class LayerQuerySet(models.QuerySet["Layer"]):
    def of(self, person: Person) -> "LayerQuerySet":
        """Layers of the person's own pieces."""
        return self.filter(piece__in=Piece.objects.of(person))


class Layer(models.Model):
    """One image of a piece. Immutable; knows its parent and exactly how it was made."""

    class Kind(models.TextChoices):
        BASE = "base", "Base"
        COAT = "coat", "Coat"
        TOUCH_UP = "touch-up", "Touch-up"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey(Piece, models.CASCADE, related_name="layers")
    parent = models.ForeignKey(
        "self", models.PROTECT, null=True, blank=True, related_name="children"
    )
    kind = models.CharField(max_length=10, choices=Kind.choices)
    recipe = models.JSONField(default=dict, help_text="Exact settings and model hashes.")
    address = models.CharField(max_length=64, help_text="Hash of all that determines the pixels.")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pixels = models.FileField(upload_to="layers/", help_text="16-bit sRGB canvas.")
    sha256 = models.CharField(max_length=64)
    model = models.CharField(max_length=100, blank=True)
    model_sha256 = models.CharField(max_length=64, blank=True)
    seed = models.BigIntegerField(null=True, blank=True)
    seconds = models.FloatField(default=0)
    created = models.DateTimeField(default=timezone.now)
    pyramid = models.FileField(upload_to="pyramids/", blank=True)
    thumbnail = models.FileField(upload_to="thumbnails/", blank=True)
    faces = models.JSONField(null=True, blank=True, help_text="Boxes x, y, width, height in px.")

    objects = LayerQuerySet.as_manager()

    class Meta:
        ordering = ["created"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "address"], name="one_layer_per_address"),
        ]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} {self.size}"

    @property
    def size(self) -> Size:
        return Size(self.width, self.height)

    @property
    def ready(self) -> bool:
        """Whether it can be looked at."""
        return bool(self.pyramid)

    @property
    def mended_at(self) -> float:
        """Middle of a touch-up's region, as a share of the width; ½ for other layers."""
        box = self.recipe.get("touch_up", {}).get("box")
        return (box[0] + box[2] / 2) / self.width if box else 0.5

    @property
    def refine(self) -> dict[str, Any] | None:
        """The settings of its refinement, if it had one."""
        settings_of = self.recipe.get("touch_up") or self.recipe.get("coat") or {}
        refine: dict[str, Any] | None = settings_of.get("refine")
        return refine


class FiringQuerySet(models.QuerySet["Firing"]):
    def of(self, person: Person) -> "FiringQuerySet":
        """Firings of the person's own pieces."""
        return self.filter(piece__in=Piece.objects.of(person))

    def open(self) -> "FiringQuerySet":
        """Waiting or running."""
        return self.filter(state__in=[Firing.State.QUEUED, Firing.State.FIRING])

    def in_sight(self) -> "FiringQuerySet":
        """Waiting or running, or ended without a result and not yet put away; what runs first."""
        running_first = models.Case(
            models.When(state=Firing.State.FIRING, then=0),
            models.When(state=Firing.State.QUEUED, then=1),
            default=2,
        )
        return self.order_by(running_first, "created").filter(
            models.Q(state__in=[Firing.State.QUEUED, Firing.State.FIRING])
            | models.Q(state__in=[Firing.State.STOPPED, Firing.State.FAILED], put_away=False)
        )


class Firing(models.Model):
    """One run of a schedule, or of a touch-up, on a layer. Its settings are frozen at its start."""

    class Work(models.TextChoices):
        SCHEDULE = "schedule", "Schedule"
        TOUCH_UP = "touch-up", "Touch-up"

    class State(models.TextChoices):
        QUEUED = "queued", "Waiting"
        FIRING = "firing", "Firing"
        DONE = "done", "Done"
        STOPPED = "stopped", "Paused"
        FAILED = "failed", "Failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey(Piece, models.CASCADE, related_name="firings")
    start = models.ForeignKey(Layer, models.PROTECT, related_name="+")
    work = models.CharField(max_length=10, choices=Work.choices)
    frozen = models.JSONField(help_text="The schedule or touch-up, every setting spelt out.")
    models_used = models.JSONField(default=dict, help_text="sha256 of each model at the start.")
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    stop_asked = models.BooleanField(default=False)
    coat = models.PositiveIntegerField(default=0, help_text="The coat in work, from 0.")
    done = models.PositiveIntegerField(default=0, help_text="Tile evaluations finished.")
    total = models.PositiveIntegerField(default=0)
    seconds_left = models.FloatField(null=True, blank=True)
    predicted = models.JSONField(default=dict)
    actual = models.JSONField(default=dict)
    error = models.TextField(blank=True)
    put_away = models.BooleanField(default=False, help_text="Ended, and no longer shown.")
    result = models.ForeignKey(Layer, models.SET_NULL, null=True, blank=True, related_name="+")
    created = models.DateTimeField(default=timezone.now)
    started = models.DateTimeField(null=True, blank=True)
    ended = models.DateTimeField(null=True, blank=True)

    objects = FiringQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.get_work_display()} on {self.start}: {self.get_state_display()}"

    @property
    def refine(self) -> dict[str, Any] | None:
        """The settings of its last refinement, if it has one."""
        last = self.frozen if self.work == self.Work.TOUCH_UP else self.frozen["coats"][-1]
        refine: dict[str, Any] | None = last["refine"]
        return refine

    @property
    def open(self) -> bool:
        return self.state in (self.State.QUEUED, self.State.FIRING)

    def schedule(self) -> Schedule:
        return Schedule.from_json(self.frozen)

    def touch_up(self) -> TouchUp:
        return TouchUp.from_json(self.frozen)

    @property
    def size(self) -> Size:
        """Size of what it makes."""
        if self.work == self.Work.TOUCH_UP:
            return self.start.size
        return self.schedule().sizes(self.start.size)[-1]


class TilePreview(models.Model):
    """What a part of a running firing looks like now. Gone when the firing ends."""

    firing = models.ForeignKey(Firing, models.CASCADE, related_name="previews")
    number = models.PositiveIntegerField(
        help_text="Rises with every change, so news can be asked for."
    )
    x = models.FloatField(help_text="Place and size as shares of the picture.")
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


class ModelQuerySet(models.QuerySet["Model"]):
    def at_hand(self) -> list["Model"]:
        """One for every card there is, in the cards' order; new cards are noted."""
        known = {model.name: model for model in self}
        found = []
        for card in cards():
            model = known.get(card.name)
            if model is None:
                model, _ = self.get_or_create(name=card.name)
            model.card = card
            found.append(model)
        return found

    def named(self, name: str) -> "Model | None":
        """The model of that name with its card, if it is at hand."""
        return next((model for model in self.at_hand() if model.name == name), None)

    def off(self) -> set[str]:
        """Names that are switched off."""
        return set(self.filter(on=False).values_list("name", flat=True))


class Model(models.Model):
    """What the workshop notes of a model at hand; everything else is on its card."""

    name = models.CharField(max_length=40, unique=True)
    on = models.BooleanField(default=True, help_text="Offered where a model is chosen.")
    brought_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="+"
    )
    tried_sha256 = models.CharField(max_length=64, blank=True, help_text="File the trial was of.")
    rate = models.FloatField(null=True, blank=True, help_text="Megapixels per second here.")
    error = models.TextField(blank=True, help_text="Why it could not be tried.")

    objects = ModelQuerySet.as_manager()

    class Meta:
        ordering = ["name"]

    card: Card
    """Set by `ModelQuerySet.at_hand`."""

    def __str__(self) -> str:
        return self.name

    @property
    def tried(self) -> bool:
        """Whether the file that is there now was tried on this machine."""
        return self.tried_sha256 == self.card.digest


class TrialCrop(models.Model):
    """A small part of a demo picture before and after a model, side by side."""

    model = models.ForeignKey(Model, models.CASCADE, related_name="crops")
    place = models.PositiveIntegerField()
    shows = models.CharField(max_length=60)
    image = models.BinaryField(help_text="WebP.")

    class Meta:
        ordering = ["place"]
        constraints = [
            models.UniqueConstraint(fields=["model", "place"], name="one_crop_per_place"),
        ]

    def __str__(self) -> str:
        return f"{self.model}: {self.shows}"


class Suited(models.Model):
    """The upscaler that new pieces of a kind start with, where it is not the usual one."""

    USUAL = {
        Subject.PAINTED: "vitreous",
        Subject.DRAWING: "cloisonne",
        Subject.TEXTURE: "stipple",
        Subject.COMPRESSED: "mend",
    }

    subject = models.CharField(max_length=12, choices=list(SUBJECTS.items()), unique=True)
    upscaler = models.CharField(max_length=40)

    def __str__(self) -> str:
        return f"{self.get_subject_display()}: {self.upscaler}"

    @classmethod
    def upscaler_for(cls, subject: Subject) -> str:
        """The upscaler for a kind of picture: as chosen, else the usual one, else Lanczos."""
        offered = upscalers_offered()
        chosen = cls.objects.filter(subject=subject).values_list("upscaler", flat=True).first()
        return next((name for name in (chosen, cls.USUAL[subject]) if name in offered), "lanczos")


def upscalers_offered() -> list[str]:
    """Upscalers to choose from: plain interpolation, and the trained ones that are on."""
    return [*FILTERS, *_offered("upscaler")]


def refiners_offered() -> list[str]:
    """Refiners to choose from."""
    return _offered("refiner")


def _offered(kind: str) -> list[str]:
    off = Model.objects.off()
    return [card.name for card in cards() if card.kind == kind and card.name not in off]
