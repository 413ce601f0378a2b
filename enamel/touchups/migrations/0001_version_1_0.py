"""The tables of version 1.0."""

import uuid

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("library", "0001_version_1_0"),
    ]

    operations = [
        migrations.CreateModel(
            name="TouchUpDraft",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                (
                    "settings",
                    models.JSONField(help_text="The touch-up, with a patch for each place."),
                ),
                ("names", models.JSONField(default=list, help_text="What each place is called.")),
                ("predicted_seconds", models.FloatField(default=0)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "layer",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="touch_up_drafts",
                        to="library.layer",
                    ),
                ),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="touch_up_drafts",
                        to="library.piece",
                    ),
                ),
                (
                    "replaces",
                    models.ForeignKey(
                        blank=True,
                        help_text="The touch-up that this one changes.",
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.layer",
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
        migrations.CreateModel(
            name="Candidate",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
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
                ("place", models.PositiveIntegerField(help_text="Which place it mends, from 0.")),
                (
                    "number",
                    models.PositiveIntegerField(
                        help_text="Which of the place's candidates, from 0."
                    ),
                ),
                ("patch", models.JSONField(help_text="Mask, working size, strength and seed.")),
                (
                    "over",
                    models.JSONField(
                        help_text="Where alone it is laid, when it was painted.", null=True
                    ),
                ),
                (
                    "content_key",
                    models.CharField(
                        help_text="Hash of all that determines the pixels.", max_length=64
                    ),
                ),
                (
                    "around",
                    models.JSONField(
                        help_text="Left, top, width, height of its pixels on the layer."
                    ),
                ),
                (
                    "verdict",
                    models.CharField(
                        blank=True,
                        choices=[("accepted", "Accepted"), ("rejected", "Rejected")],
                        max_length=10,
                    ),
                ),
                (
                    "pixels",
                    models.FileField(
                        blank=True, help_text="16-bit sRGB samples.", upload_to="candidates/"
                    ),
                ),
                ("shown", models.BinaryField(help_text="WebP of the place, mended.", null=True)),
                ("model_seconds", models.FloatField(blank=True, null=True)),
                (
                    "draft",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="candidates",
                        to="touchups.touchupdraft",
                    ),
                ),
            ],
            options={
                "ordering": ["place", "number"],
            },
        ),
        notify(
            "touchups_candidate",
            "(SELECT owner_id FROM library_piece JOIN touchups_touchupdraft ON piece_id = "
            "library_piece.id WHERE touchups_touchupdraft.id = NEW.draft_id)",
        ),
    ]
