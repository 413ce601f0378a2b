"""The tables of version 1.0."""

import uuid

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("firings", "0001_version_1_0"),
        ("library", "0001_version_1_0"),
        ("prints", "0001_version_1_0"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Batch",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                ("name", models.CharField(max_length=120)),
                (
                    "treatment",
                    models.JSONField(
                        help_text="What is done with each picture, every setting spelt out."
                    ),
                ),
                (
                    "urgency",
                    models.SmallIntegerField(
                        choices=[
                            (10, "Before everything else"),
                            (0, "In turn with everything else"),
                            (-10, "When nothing else waits"),
                        ],
                        default=-10,
                    ),
                ),
                ("paused", models.BooleanField(default=False)),
                (
                    "folder",
                    models.CharField(
                        blank=True, help_text="That its pictures come from.", max_length=255
                    ),
                ),
                (
                    "watched",
                    models.BooleanField(
                        default=False, help_text="Whether new files there are imported."
                    ),
                ),
                (
                    "looking",
                    models.BooleanField(
                        default=False, help_text="Whether the folder is still looked at."
                    ),
                ),
                (
                    "seen",
                    models.JSONField(
                        default=dict, help_text="Files there at the last look, not yet whole."
                    ),
                ),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "ended",
                    models.DateTimeField(
                        blank=True, help_text="When nothing was left to do.", null=True
                    ),
                ),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="batches",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
        migrations.CreateModel(
            name="BatchItem",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.IntegerField(help_text="Smaller ones go first.")),
                (
                    "source",
                    models.CharField(
                        help_text="Name of the file, or title of the piece.", max_length=255
                    ),
                ),
                (
                    "stamp",
                    models.CharField(
                        blank=True,
                        help_text="Size and time of change of a file from a folder.",
                        max_length=60,
                    ),
                ),
                ("skipped", models.BooleanField(default=False)),
                (
                    "error",
                    models.TextField(
                        blank=True, help_text="Why it could not be fired, or its files written."
                    ),
                ),
                (
                    "ordered",
                    models.BooleanField(
                        default=False, help_text="Whether its print files were asked for."
                    ),
                ),
                (
                    "predicted",
                    models.FloatField(
                        blank=True, help_text="Seconds its firing would take.", null=True
                    ),
                ),
                ("begun", models.DateTimeField(blank=True, null=True)),
                ("ended", models.DateTimeField(blank=True, null=True)),
                (
                    "batch",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="items",
                        to="batches.batch",
                    ),
                ),
                ("files", models.ManyToManyField(related_name="+", to="prints.printfile")),
                (
                    "firing",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="firings.firing",
                    ),
                ),
                (
                    "piece",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.piece",
                    ),
                ),
                (
                    "result",
                    models.ForeignKey(
                        blank=True,
                        help_text="Result where nothing had to be fired.",
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.layer",
                    ),
                ),
            ],
            options={
                "ordering": ["place", "pk"],
                "constraints": [
                    models.UniqueConstraint(
                        condition=models.Q(("stamp", ""), _negated=True),
                        fields=("batch", "source", "stamp"),
                        name="one_item_per_file",
                    ),
                    models.UniqueConstraint(fields=("batch", "piece"), name="one_item_per_piece"),
                ],
            },
        ),
        notify("batches_batch", "NEW.owner_id"),
        notify("batches_batchitem", "(SELECT owner_id FROM batches_batch WHERE id = NEW.batch_id)"),
    ]
