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
        ("library", "0001_version_1_0"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="PrintFile",
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
                    "settings",
                    models.JSONField(
                        help_text="Format, bits, resolution, and the print if it lies on one."
                    ),
                ),
                (
                    "strip",
                    models.JSONField(
                        blank=True, help_text="What is on it, where it is a test strip.", null=True
                    ),
                ),
                ("name", models.CharField(help_text="Of the file.", max_length=255)),
                ("width", models.PositiveIntegerField(help_text="Of the file, in px.")),
                ("height", models.PositiveIntegerField()),
                (
                    "note",
                    models.TextField(
                        blank=True, help_text="What there is to say of it once written."
                    ),
                ),
                ("file", models.FileField(blank=True, upload_to="prints/")),
                (
                    "order_key",
                    models.UUIDField(
                        default=uuid.uuid4,
                        help_text="Makes every try to order it the same order, until one is settled for certain.",
                    ),
                ),
                (
                    "layer",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="print_files",
                        to="library.layer",
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
        migrations.CreateModel(
            name="OutputPreset",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=80)),
                ("form", models.JSONField(help_text="Fields of the form of print files.")),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="outputs",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["name"],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("owner", "name"), name="one_output_preset_per_name"
                    )
                ],
            },
        ),
        notify(
            "prints_printfile",
            "(SELECT owner_id FROM library_piece JOIN library_layer ON piece_id = "
            "library_piece.id WHERE library_layer.id = NEW.layer_id)",
        ),
    ]
