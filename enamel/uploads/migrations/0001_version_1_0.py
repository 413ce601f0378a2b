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
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Upload",
            fields=[
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("waiting", "Waiting"),
                            ("running", "Running"),
                            ("done", "Done"),
                            ("stopped", "Stopped"),
                            ("failed", "Failed"),
                        ],
                        default="waiting",
                        max_length=10,
                    ),
                ),
                ("stop_requested", models.BooleanField(default=False)),
                (
                    "attempts",
                    models.PositiveIntegerField(
                        default=0,
                        help_text="Times that a worker began it and neither ended nor released it.",
                    ),
                ),
                (
                    "progress",
                    models.FloatField(default=0, help_text="How much of it is done, 0…1."),
                ),
                ("predicted_seconds", models.FloatField(blank=True, null=True)),
                (
                    "seconds",
                    models.FloatField(blank=True, help_text="What the last run took.", null=True),
                ),
                (
                    "error",
                    models.TextField(blank=True, help_text="Why it failed, or what it waits for."),
                ),
                (
                    "host",
                    models.CharField(
                        blank=True, help_text="Machine that it was last on.", max_length=100
                    ),
                ),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "started",
                    models.DateTimeField(
                        blank=True, help_text="When it was last begun.", null=True
                    ),
                ),
                ("ended", models.DateTimeField(blank=True, null=True)),
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                (
                    "kind",
                    models.CharField(
                        choices=[("picture", "Picture"), ("model", "Model"), ("piece", "Piece")],
                        max_length=10,
                    ),
                ),
                ("name", models.CharField(help_text="Of the file as it was sent.", max_length=255)),
                (
                    "details",
                    models.JSONField(
                        default=dict, help_text="What came with it: name, summary, licence."
                    ),
                ),
                (
                    "piece_id",
                    models.UUIDField(
                        blank=True, help_text="The piece that a picture became.", null=True
                    ),
                ),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["created"],
            },
        ),
        notify("uploads_upload", "NEW.owner_id"),
    ]
