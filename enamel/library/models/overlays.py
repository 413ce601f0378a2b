"""What a piece keeps for use on its layers: masks, and laid pictures."""

from typing import ClassVar

from django.db import models
from django.utils import timezone

from enamel.core.masks import Mask


class SavedMask(models.Model):
    """A mask saved with its piece, for use on other layers and as a region of a prompt."""

    piece = models.ForeignKey("Piece", models.CASCADE, related_name="masks")
    name = models.CharField(max_length=80)
    mask = models.JSONField()
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["piece", "name"], name="one_mask_per_name")]

    def __str__(self) -> str:
        return self.name

    def as_mask(self) -> Mask:
        return Mask.from_json(self.mask)


class LaidFile(models.Model):
    """A picture from outside that is laid over layers of a piece."""

    PIECE: ClassVar = "piece"

    piece = models.ForeignKey("Piece", models.CASCADE, related_name="laid_files")
    name = models.CharField(max_length=255)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pixels = models.FileField(upload_to="laid/", help_text="16-bit sRGB canvas.")
    sha256 = models.CharField(max_length=64)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-created"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "sha256"], name="one_laid_file_per_picture")
        ]

    def __str__(self) -> str:
        return self.name
