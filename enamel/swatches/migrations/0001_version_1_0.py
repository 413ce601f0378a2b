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
            name="SwatchSheet",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                (
                    "schedule",
                    models.JSONField(
                        help_text="The coats up to the one that is tried, which is the last."
                    ),
                ),
                (
                    "coat",
                    models.PositiveIntegerField(
                        default=0, help_text="Its place in the piece's schedule."
                    ),
                ),
                (
                    "window",
                    models.JSONField(
                        help_text="Left, top, width, height in px of the coat's result."
                    ),
                ),
                (
                    "axes",
                    models.JSONField(default=list, help_text="Varied settings with their values."),
                ),
                ("predicted_seconds", models.FloatField(default=0)),
                ("pinned", models.BooleanField(default=False)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="sheets",
                        to="library.piece",
                    ),
                ),
                (
                    "start",
                    models.ForeignKey(
                        help_text="What the schedule begins on.",
                        on_delete=django.db.models.deletion.CASCADE,
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
            name="Swatch",
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
                ("row", models.PositiveIntegerField()),
                ("column", models.PositiveIntegerField()),
                (
                    "place",
                    models.PositiveIntegerField(
                        default=0, help_text="As which of its sheet it is made."
                    ),
                ),
                ("label", models.CharField(blank=True, max_length=300)),
                ("coat", models.JSONField(help_text="The tried coat, every setting spelt out.")),
                (
                    "content_key",
                    models.CharField(
                        help_text="Hash of all that determines the pixels.", max_length=64
                    ),
                ),
                (
                    "verdict",
                    models.CharField(
                        blank=True,
                        choices=[("favourite", "Favourite"), ("reject", "Reject")],
                        max_length=10,
                    ),
                ),
                (
                    "pixels",
                    models.FileField(
                        blank=True, help_text="16-bit sRGB canvas.", upload_to="swatches/"
                    ),
                ),
                ("sha256", models.CharField(blank=True, max_length=64)),
                ("model_seconds", models.FloatField(blank=True, null=True)),
                (
                    "shared",
                    models.PositiveIntegerField(
                        default=0, help_text="Tiles taken from earlier runs."
                    ),
                ),
                ("measures", models.JSONField(default=dict)),
                ("tiles_done", models.PositiveIntegerField(default=0)),
                (
                    "so_far",
                    models.BinaryField(help_text="WebP of the window while it is made.", null=True),
                ),
                (
                    "sheet",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="swatches",
                        to="swatches.swatchsheet",
                    ),
                ),
            ],
            options={
                "verbose_name_plural": "swatches",
                "ordering": ["row", "column"],
            },
        ),
        notify(
            "swatches_swatch",
            "(SELECT owner_id FROM library_piece JOIN swatches_swatchsheet ON piece_id = "
            "library_piece.id WHERE swatches_swatchsheet.id = NEW.sheet_id)",
        ),
    ]
