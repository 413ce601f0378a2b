"""The tables of version 1.0."""

import uuid

import django.contrib.postgres.fields
import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

import enamel.core.intake.subject
from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Piece",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                ("title", models.CharField(max_length=200)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                ("deleted_at", models.DateTimeField(blank=True, null=True)),
                (
                    "base_file",
                    models.FileField(help_text="The file as it was imported.", upload_to="bases/"),
                ),
                ("base_name", models.CharField(max_length=255)),
                (
                    "schedule_kept",
                    models.JSONField(
                        blank=True,
                        help_text="The current schedule; none before the first change.",
                        null=True,
                    ),
                ),
                (
                    "base_facts",
                    models.JSONField(default=dict, help_text="What the file says of itself."),
                ),
                (
                    "made",
                    models.JSONField(
                        default=dict, help_text="How the base was made, as it is known."
                    ),
                ),
                (
                    "made_by_model",
                    models.BooleanField(
                        default=True, help_text="Whether a generative model made the base."
                    ),
                ),
                (
                    "print_kept",
                    models.JSONField(blank=True, help_text="The current print.", null=True),
                ),
                ("notes", models.TextField(blank=True)),
                (
                    "mark",
                    models.CharField(
                        blank=True,
                        choices=[("keep", "Keep"), ("maybe", "Maybe"), ("drop", "Drop")],
                        max_length=5,
                    ),
                ),
                (
                    "tags",
                    django.contrib.postgres.fields.ArrayField(
                        base_field=models.CharField(max_length=40),
                        blank=True,
                        default=list,
                        size=None,
                    ),
                ),
                (
                    "likeness",
                    models.BigIntegerField(help_text="Perceptual hash of the base.", null=True),
                ),
                (
                    "cuts",
                    models.JSONField(
                        help_text="Columns and rows of a contact sheet, in px.", null=True
                    ),
                ),
                (
                    "step",
                    models.PositiveIntegerField(
                        default=0, help_text="Which change of the schedule is current."
                    ),
                ),
                (
                    "faces_kept",
                    models.JSONField(
                        blank=True,
                        help_text="Faces on the base as the artist put them right; none while they are as found.",
                        null=True,
                    ),
                ),
                (
                    "subject",
                    models.CharField(
                        choices=[
                            (enamel.core.intake.subject.Subject["PHOTO"], "Photograph or render"),
                            (
                                enamel.core.intake.subject.Subject["PAINTED"],
                                "Painting or illustration",
                            ),
                            (
                                enamel.core.intake.subject.Subject["DRAWING"],
                                "Line art, flats, lettering",
                            ),
                            (enamel.core.intake.subject.Subject["TEXTURE"], "Rich in texture"),
                            (
                                enamel.core.intake.subject.Subject["COMPRESSED"],
                                "Compressed or noisy",
                            ),
                        ],
                        default="photo",
                        max_length=12,
                    ),
                ),
                (
                    "copy_of",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="copies",
                        to="library.piece",
                    ),
                ),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="pieces",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
        migrations.CreateModel(
            name="Layer",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                (
                    "kind",
                    models.CharField(
                        choices=[
                            ("base", "Base"),
                            ("coat", "Coat"),
                            ("touch-up", "Touch-up"),
                            ("inlay", "Inlay"),
                            ("finish", "Finish"),
                        ],
                        max_length=10,
                    ),
                ),
                (
                    "recipe",
                    models.JSONField(default=dict, help_text="Exact settings and model hashes."),
                ),
                (
                    "content_key",
                    models.CharField(
                        help_text="Hash of all that determines the pixels.", max_length=64
                    ),
                ),
                ("width", models.PositiveIntegerField()),
                ("height", models.PositiveIntegerField()),
                ("pixels", models.FileField(help_text="16-bit sRGB canvas.", upload_to="layers/")),
                ("sha256", models.CharField(max_length=64)),
                ("model", models.CharField(blank=True, max_length=100)),
                ("model_sha256", models.CharField(blank=True, max_length=64)),
                ("seed", models.BigIntegerField(blank=True, null=True)),
                ("seconds", models.FloatField(default=0)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                ("pyramid", models.FileField(blank=True, upload_to="pyramids/")),
                ("thumbnail", models.FileField(blank=True, upload_to="thumbnails/")),
                (
                    "faces",
                    models.JSONField(
                        blank=True,
                        help_text="Left, top, width, height in px, and turn in degrees.",
                        null=True,
                    ),
                ),
                (
                    "overview",
                    models.FileField(
                        blank=True,
                        help_text="Means of its cells, for finishing.",
                        upload_to="overviews/",
                    ),
                ),
                (
                    "measured",
                    models.JSONField(
                        blank=True,
                        help_text="Noise, blur, tones and the like, for finishing.",
                        null=True,
                    ),
                ),
                (
                    "checks",
                    models.JSONField(
                        blank=True,
                        help_text="Report of the checks against the base; none for the base.",
                        null=True,
                    ),
                ),
                (
                    "checked_by",
                    models.PositiveIntegerField(
                        blank=True,
                        help_text="Version of the checks that made the report.",
                        null=True,
                    ),
                ),
                (
                    "verdict_kept",
                    models.CharField(
                        blank=True, help_text="What the checks came to, in a line.", max_length=200
                    ),
                ),
                (
                    "found",
                    models.PositiveIntegerField(
                        default=0, help_text="Findings of the checks that are more than slight."
                    ),
                ),
                (
                    "parent",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.RESTRICT,
                        related_name="children",
                        to="library.layer",
                    ),
                ),
                (
                    "replaces",
                    models.ForeignKey(
                        blank=True,
                        help_text="The touch-up or finish whose place it takes.",
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="replaced_by",
                        to="library.layer",
                    ),
                ),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="layers",
                        to="library.piece",
                    ),
                ),
            ],
            options={
                "ordering": ["created"],
            },
        ),
        migrations.CreateModel(
            name="LaidFile",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=255)),
                ("width", models.PositiveIntegerField()),
                ("height", models.PositiveIntegerField()),
                ("pixels", models.FileField(help_text="16-bit sRGB canvas.", upload_to="laid/")),
                ("sha256", models.CharField(max_length=64)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="laid_files",
                        to="library.piece",
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
        migrations.CreateModel(
            name="SavedMask",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=80)),
                ("mask", models.JSONField()),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="masks",
                        to="library.piece",
                    ),
                ),
            ],
            options={
                "ordering": ["name"],
            },
        ),
        migrations.CreateModel(
            name="ScheduleStep",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.PositiveIntegerField()),
                ("schedule", models.JSONField()),
                (
                    "changed",
                    models.JSONField(default=list, help_text="Paths of the settings that changed."),
                ),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="steps",
                        to="library.piece",
                    ),
                ),
            ],
            options={
                "ordering": ["place"],
            },
        ),
        migrations.AddIndex(
            model_name="piece",
            index=models.Index(fields=["owner", "-created"], name="pieces_of_an_artist"),
        ),
        migrations.AddConstraint(
            model_name="layer",
            constraint=models.UniqueConstraint(
                fields=("piece", "content_key"), name="one_layer_per_content_key"
            ),
        ),
        migrations.AddConstraint(
            model_name="laidfile",
            constraint=models.UniqueConstraint(
                fields=("piece", "sha256"), name="one_laid_file_per_picture"
            ),
        ),
        migrations.AddConstraint(
            model_name="savedmask",
            constraint=models.UniqueConstraint(fields=("piece", "name"), name="one_mask_per_name"),
        ),
        migrations.AddConstraint(
            model_name="schedulestep",
            constraint=models.UniqueConstraint(
                fields=("piece", "place"), name="one_schedule_per_step"
            ),
        ),
        notify("library_layer", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
    ]
