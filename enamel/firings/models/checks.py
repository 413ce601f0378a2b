"""Checks of layers that have no report, or one of an older version."""

from typing import ClassVar

from django.db import models
from django.urls import reverse

from enamel.jobs.models import Job, JobQuerySet
from enamel.library.models import Layer


class LayerCheck(Job):
    """The measuring of a layer against its piece's base; one per layer."""

    LABEL = "Checking a layer"
    STATE_LABELS: ClassVar = {Job.State.RUNNING: "Being checked"}
    PIECE = "layer__piece"

    layer = models.OneToOneField(Layer, models.CASCADE, related_name="check_job")

    objects = JobQuerySet["LayerCheck"].as_manager()

    class Meta:
        ordering = ["created"]

    def __str__(self) -> str:
        return f"{self.layer}: {self.state_label}"

    @property
    def url(self) -> str:
        compare = reverse("compare", args=[self.layer.piece_id])
        return f"{compare}?show={self.layer_id}&way=table"
