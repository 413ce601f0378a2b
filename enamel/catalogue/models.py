"""Available models, their trials, and which of them new pieces start with."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.urls import reverse

from enamel.accounts.people import Person
from enamel.core.intake.subject import SUITED, SUITED_TO_FACES, Subject
from enamel.core.networks.cards import Card, cards
from enamel.core.upscaling.resample import FILTERS
from enamel.jobs.models import Job, JobQuerySet

SUBJECTS = {
    Subject.PHOTO: "Photograph or render",
    Subject.PAINTED: "Painting or illustration",
    Subject.DRAWING: "Line art, flats, lettering",
    Subject.TEXTURE: "Rich in texture",
    Subject.COMPRESSED: "Compressed or noisy",
}
"""Kinds of pictures in the artist's words."""


class ModelQuerySet(models.QuerySet["Model"]):
    def available(self) -> list["Model"]:
        """Return a model for every card, in the cards' order, with its trial. Rows are made for new cards."""
        known = {model.name: model for model in self}
        trials = {(one.model_id, one.sha256): one for one in Trial.objects.all()}
        found = []
        for card in cards():
            model = known.get(card.name)
            if model is None:
                model, _ = self.get_or_create(name=card.name)
            model.card = card
            model.trial = trials.get((model.pk, card.digest))
            found.append(model)
        return found

    def named(self, name: str) -> "Model | None":
        """Return the model of that name with its card, if it is available."""
        return next((model for model in self.available() if model.name == name), None)

    def off(self) -> set[str]:
        """Return the names of models that are switched off."""
        return set(self.filter(on=False).values_list("name", flat=True))


class Model(models.Model):
    """What the workshop stores about an available model; everything else is on its card."""

    name = models.CharField(max_length=40, unique=True)
    on = models.BooleanField(default=True, help_text="Offered where a model is chosen.")
    added_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="+"
    )

    objects = ModelQuerySet.as_manager()

    class Meta:
        ordering = ["name"]

    card: Card
    trial: "Trial | None"
    """The trial of its present file. Both are set by `ModelQuerySet.available`."""
    changeable: bool
    """Whether the current account may switch and delete it; set by the page of models."""

    def __str__(self) -> str:
        return self.name

    @property
    def needs_trial(self) -> bool:
        """Whether its present file can be tried and has no trial yet."""
        return self.card.kind in ("upscaler", "refiner") and self.trial is None


class TrialQuerySet(JobQuerySet["Trial"]):
    def of(self, person: Person) -> "TrialQuerySet":
        """Return all of them: models belong to everybody."""
        return self.all()

    def rates(self) -> dict[str, float]:
        """Return megapixels per second on this machine, by model."""
        done = self.filter(state=Trial.State.DONE).order_by("ended")
        return {name: rate for name, rate in done.values_list("model__name", "rate") if rate}


class Trial(Job):
    """A model's file tried on this machine, on parts of the demo pictures."""

    LABEL = "Trying a model"
    STATE_LABELS: ClassVar = {Job.State.RUNNING: "Being tried"}
    AFTER_CRASHES = "Switch the model off, or add a smaller one."

    model = models.ForeignKey(Model, models.CASCADE, related_name="trials")
    sha256 = models.CharField(max_length=64, help_text="Of the file.")
    rate = models.FloatField(null=True, blank=True, help_text="Megapixels per second here.")

    objects = TrialQuerySet.as_manager()

    class Meta:
        ordering = ["created"]
        constraints = [
            models.UniqueConstraint(fields=["model", "sha256"], name="one_trial_per_file"),
        ]

    def __str__(self) -> str:
        return f"{self.subject}: {self.state_label}"

    @property
    def artist_id(self) -> None:
        """None: models belong to everybody."""

    @property
    def subject(self) -> str:
        return self.model.name

    @property
    def url(self) -> str:
        return f"{reverse('models')}#{self.model.name}"


class TrialCrop(models.Model):
    """A small part of a demo picture before and after a model, side by side."""

    trial = models.ForeignKey(Trial, models.CASCADE, related_name="crops")
    place = models.PositiveIntegerField()
    shows = models.CharField(max_length=60)
    image = models.BinaryField(help_text="WebP.")

    class Meta:
        ordering = ["place"]
        constraints = [
            models.UniqueConstraint(fields=["trial", "place"], name="one_crop_per_place"),
        ]

    def __str__(self) -> str:
        return f"{self.trial.model}: {self.shows}"


class Suited(models.Model):
    """The models that new pieces of a kind start with, where they are not the defaults."""

    subject = models.CharField(max_length=12, choices=list(SUBJECTS.items()), unique=True)
    upscaler = models.CharField(max_length=40)
    refiner = models.CharField(max_length=40, blank=True)

    def __str__(self) -> str:
        return f"{self.get_subject_display()}: {self.upscaler}, {self.refiner}"

    @classmethod
    def to(cls, subject: Subject, *, faces: bool = False) -> tuple[str, str]:
        """Return what `SuitedModels.to` returns now."""
        return cls.read().to(subject, faces=faces)

    @classmethod
    def read(cls) -> "SuitedModels":
        """Read the suited models, once for any number of pictures."""
        kept = {one.subject: (one.upscaler, one.refiner) for one in cls.objects.all()}
        return SuitedModels(kept, offered())


@dataclass(frozen=True, slots=True)
class SuitedModels:
    """Which models suit which kinds of pictures, and which are offered."""

    kept: Mapping[str, tuple[str, str]]
    offered: "Offered"

    def to(self, subject: Subject, *, faces: bool = False) -> tuple[str, str]:
        """Return upscaler and refiner for a kind of picture, or for the faces of such pictures.

        These are the chosen ones, else the defaults (for faces, the refiner made for faces); where those
        are switched off, Lanczos and the first refiner that is on. Choosing a kind's default refiner does
        not count as a choice for its faces.
        """
        upscaler, refiner = SUITED[subject]
        own_upscaler, own_refiner = self.kept.get(subject, ("", ""))
        usual = [refiner]
        if faces:
            usual = [SUITED_TO_FACES, refiner]
            own_refiner = "" if own_refiner == refiner else own_refiner
        there = self.offered
        return (
            _first([own_upscaler, upscaler], there.upscalers, "lanczos"),
            _first([own_refiner, *usual], there.refiners, there.refiners[0]),
        )


def _first(wanted: list[str], offered: list[str], otherwise: str) -> str:
    """Return the first of these names that is offered."""
    return next((name for name in wanted if name in offered), otherwise)


@dataclass(frozen=True, slots=True)
class Offered:
    """Names of the models to choose from: those available and switched on."""

    upscalers: list[str]
    """Plain interpolation first."""
    refiners: list[str]
    guides: list[str]
    """Structure guides of checkpoints, and their VAEs."""
    vaes: list[str]


def offered() -> Offered:
    """Return the models to choose from."""
    off = Model.objects.off()
    on = [card for card in cards() if card.name not in off]
    upscalers, refiners, guides, vaes = (
        [card.name for card in on if card.kind == kind]
        for kind in ("upscaler", "refiner", "guide", "vae")
    )
    return Offered([*FILTERS, *upscalers], refiners, guides, vaes)
