"""What is kept with a piece to be used on its layers: masks, and pictures from elsewhere."""

from django.db import models
from django.utils import timezone

from enamel.core.masks import Mask


class KeptMask(models.Model):
    """A mask that is kept with its piece, for other layers and as a region for words."""

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
    """A picture from elsewhere that is laid over layers of a piece."""

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
