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
            name="Firing",
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
                    "work",
                    models.CharField(
                        choices=[
                            ("schedule", "Schedule"),
                            ("touch-up", "Touch-up"),
                            ("inlay", "Inlay"),
                            ("finish", "Finish"),
                            ("again", "Done again"),
                            ("batch", "Batch"),
                        ],
                        max_length=10,
                    ),
                ),
                (
                    "frozen",
                    models.JSONField(
                        help_text="The schedule or touch-up, every setting spelt out."
                    ),
                ),
                (
                    "models_used",
                    models.JSONField(default=dict, help_text="sha256 of each model at the start."),
                ),
                (
                    "priority",
                    models.SmallIntegerField(default=0, help_text="Higher ones are fired first."),
                ),
                (
                    "coat",
                    models.PositiveIntegerField(default=0, help_text="The coat in work, from 0."),
                ),
                (
                    "done",
                    models.PositiveIntegerField(default=0, help_text="Tile evaluations finished."),
                ),
                ("total", models.PositiveIntegerField(default=0)),
                ("seconds_left", models.FloatField(blank=True, null=True)),
                ("predicted", models.JSONField(default=dict)),
                ("actual", models.JSONField(default=dict)),
                (
                    "dismissed",
                    models.BooleanField(default=False, help_text="Ended, and no longer shown."),
                ),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="firings",
                        to="library.piece",
                    ),
                ),
                (
                    "replaces",
                    models.ForeignKey(
                        blank=True,
                        help_text="The touch-up or finish whose place the result takes.",
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.layer",
                    ),
                ),
                (
                    "result",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to="library.layer",
                    ),
                ),
                (
                    "start",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.RESTRICT,
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
            name="LayerCheck",
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
                (
                    "layer",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="check_job",
                        to="library.layer",
                    ),
                ),
            ],
            options={
                "ordering": ["created"],
            },
        ),
        migrations.CreateModel(
            name="Timing",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "kind",
                    models.CharField(
                        choices=[
                            ("refine", "refine"),
                            ("enlarge", "enlarge"),
                            ("settle", "settle"),
                        ],
                        max_length=10,
                    ),
                ),
                ("model", models.CharField(blank=True, max_length=40)),
                ("mode", models.CharField(blank=True, max_length=10)),
                ("tile", models.CharField(blank=True, max_length=20)),
                ("amount", models.FloatField(help_text="Megapixels.")),
                ("seconds", models.FloatField()),
                ("ended", models.DateTimeField(default=django.utils.timezone.now)),
            ],
            options={
                "ordering": ["-pk"],
                "indexes": [
                    models.Index(fields=["kind", "model", "mode", "tile"], name="timings_alike")
                ],
            },
        ),
        migrations.CreateModel(
            name="SchedulePreset",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=80)),
                (
                    "summary",
                    models.CharField(
                        blank=True, help_text="When it is the one to take.", max_length=200
                    ),
                ),
                ("schedule", models.JSONField()),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="schedules",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["name"],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("owner", "name"), name="one_schedule_preset_per_name"
                    )
                ],
            },
        ),
        migrations.CreateModel(
            name="TilePreview",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "number",
                    models.PositiveIntegerField(
                        help_text="Rises with every change, so news can be asked for."
                    ),
                ),
                ("x", models.FloatField(help_text="Place and size as fractions of the picture.")),
                ("y", models.FloatField()),
                ("width", models.FloatField()),
                ("height", models.FloatField()),
                ("image", models.BinaryField(help_text="WebP.")),
                (
                    "firing",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="previews",
                        to="firings.firing",
                    ),
                ),
            ],
            options={
                "ordering": ["number"],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("firing", "x", "y"), name="one_preview_per_place"
                    )
                ],
            },
        ),
        notify("firings_firing", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
        notify(
            "firings_layercheck",
            "(SELECT owner_id FROM library_piece JOIN library_layer ON piece_id = "
            "library_piece.id WHERE library_layer.id = NEW.layer_id)",
        ),
    ]
