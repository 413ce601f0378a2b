"""Layers: the images of a piece."""

import uuid
from typing import Any, ClassVar

from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.checks.findings import VERSION
from enamel.core.faces.detection import Face
from enamel.core.geometry import Box, Size


class LayerQuerySet(models.QuerySet["Layer"]):
    def of(self, person: Person) -> "LayerQuerySet":
        """Return layers of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class LayerManager(models.Manager["Layer"]):
    """Leaves reports of checks in the database until they are read: they are large."""

    def get_queryset(self) -> "LayerQuerySet":
        return LayerQuerySet(self.model, using=self._db).defer("checks")


class Layer(models.Model):
    """One image of a piece. Immutable; knows its parent and exactly how it was made."""

    class Kind(models.TextChoices):
        BASE = "base", "Base"
        COAT = "coat", "Coat"
        TOUCH_UP = "touch-up", "Touch-up"
        INLAY = "inlay", "Inlay"
        FINISH = "finish", "Finish"

    PIECE: ClassVar = "piece"
    DERIVED_FILES: ClassVar = ("pyramid", "thumbnail", "overview")
    """Fields whose files are made again from the pixels where they are empty."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("Piece", models.CASCADE, related_name="layers")
    parent = models.ForeignKey(
        "self", models.RESTRICT, null=True, blank=True, related_name="children"
    )
    kind = models.CharField(max_length=10, choices=Kind.choices)
    replaces = models.ForeignKey(
        "self", models.SET_NULL, null=True, blank=True, related_name="replaced_by",
        help_text="The touch-up or finish whose place it takes.",
    )  # fmt: skip
    recipe = models.JSONField(default=dict, help_text="Exact settings and model hashes.")
    content_key = models.CharField(
        max_length=64, help_text="Hash of all that determines the pixels."
    )
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
    faces = models.JSONField(
        null=True, blank=True, help_text="Left, top, width, height in px, and turn in degrees."
    )

    overview = models.FileField(
        upload_to="overviews/", blank=True, help_text="Means of its cells, for finishing."
    )
    measured = models.JSONField(
        null=True, blank=True, help_text="Noise, blur, tones and the like, for finishing."
    )

    checks = models.JSONField(
        null=True, blank=True, help_text="Report of the checks against the base; none for the base."
    )

    checked_by = models.PositiveIntegerField(
        null=True, blank=True, help_text="Version of the checks that made the report."
    )
    verdict_kept = models.CharField(
        max_length=200, blank=True, help_text="What the checks came to, in a line."
    )
    found = models.PositiveIntegerField(
        default=0, help_text="Findings of the checks that are more than slight."
    )

    objects = LayerManager.from_queryset(LayerQuerySet)()

    class Meta:
        ordering = ["created"]
        constraints = [
            models.UniqueConstraint(
                fields=["piece", "content_key"], name="one_layer_per_content_key"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} {self.size}"

    @property
    def size(self) -> Size:
        return Size(self.width, self.height)

    @property
    def chain(self) -> "list[Layer]":
        """The layers it was made from, the base first, and itself."""
        chain = [self]
        while chain[0].parent is not None:
            chain.insert(0, chain[0].parent)
        return chain

    @property
    def ready(self) -> bool:
        """Whether it can be looked at."""
        return bool(self.pyramid)

    @property
    def surveyed(self) -> bool:
        """Whether it was measured for finishing."""
        return bool(self.overview)

    @property
    def checked(self) -> bool:
        """Whether it has a report of the current version of the checks."""
        return self.checked_by == VERSION

    @property
    def verdict(self) -> str:
        """Result of its checks in a line; empty while it has not been checked."""
        return self.verdict_kept if self.checked else ""

    @property
    def mended_at(self) -> float:
        """Middle of what a touch-up or inlay changed, as a fraction of the width; ½ for other kinds."""
        places = self.recipe.get("places")
        if not places:
            return 0.5
        left, right = (
            min(place[0] for place in places),
            max(place[0] + place[2] for place in places),
        )
        return float((left + right) / 2)

    @property
    def step_form(self) -> dict[str, Any]:
        """The step that made it from its parent, as firings store it: settings under the layer's kind."""
        if self.kind == self.Kind.COAT:
            return {self.kind: self.recipe["coat"]}
        if self.kind == self.Kind.TOUCH_UP:
            return {self.kind: self.recipe["touch_up"]}
        if self.kind == self.Kind.FINISH:
            return {self.kind: self.recipe["finish"]}
        return {self.kind: {"inlays": self.recipe["inlays"]}}

    @property
    def found_faces(self) -> list[Face]:
        """The faces found in it, in px."""
        return [face_from(form) for form in self.faces or []]

    @property
    def refine(self) -> dict[str, Any] | None:
        """The settings of its refinement, if it had one."""
        settings_of = self.recipe.get("touch_up") or self.recipe.get("coat") or {}
        return refine_of(settings_of)


def refine_of(settings: dict[str, Any]) -> dict[str, Any] | None:
    """Return the refinement in a coat's or touch-up's settings; for a touch-up with strength and seed of
    its first patch.
    """
    refine: dict[str, Any] | None = settings.get("refine")
    if refine and settings.get("patches"):
        first = settings["patches"][0]
        return {**refine, "strength": first["strength"], "seed": first["seed"]}
    return refine


def face_from(form: list[float]) -> Face:
    """Return a face from its stored numbers: box, and turn where one is known."""
    left, top, width, height = (round(side) for side in form[:4])
    return Face(Box(left, top, width, height), 0.0, form[4] if len(form) > 4 else 0.0)


def face_as_kept(face: Face) -> list[float]:
    """Return the numbers that a face is stored as."""
    return [face.box.x, face.box.y, *face.box.size, round(face.turn, 1)]
