"""The tables of version 1.0."""

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

import enamel.core.intake.subject
from enamel.jobs.triggers import EVERYBODY, notify


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Suited",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
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
                        max_length=12,
                        unique=True,
                    ),
                ),
                ("upscaler", models.CharField(max_length=40)),
                ("refiner", models.CharField(blank=True, max_length=40)),
            ],
        ),
        migrations.CreateModel(
            name="Model",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=40, unique=True)),
                (
                    "on",
                    models.BooleanField(default=True, help_text="Offered where a model is chosen."),
                ),
                (
                    "added_by",
                    models.ForeignKey(
                        blank=True,
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["name"],
            },
        ),
        migrations.CreateModel(
            name="Trial",
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
                ("sha256", models.CharField(help_text="Of the file.", max_length=64)),
                (
                    "rate",
                    models.FloatField(
                        blank=True, help_text="Megapixels per second here.", null=True
                    ),
                ),
                (
                    "model",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="trials",
                        to="catalogue.model",
                    ),
                ),
            ],
            options={
                "ordering": ["created"],
            },
        ),
        migrations.CreateModel(
            name="TrialCrop",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("place", models.PositiveIntegerField()),
                ("shows", models.CharField(max_length=60)),
                ("image", models.BinaryField(help_text="WebP.")),
                (
                    "trial",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="crops",
                        to="catalogue.trial",
                    ),
                ),
            ],
            options={
                "ordering": ["place"],
            },
        ),
        migrations.AddConstraint(
            model_name="trial",
            constraint=models.UniqueConstraint(
                fields=("model", "sha256"), name="one_trial_per_file"
            ),
        ),
        migrations.AddConstraint(
            model_name="trialcrop",
            constraint=models.UniqueConstraint(
                fields=("trial", "place"), name="one_crop_per_place"
            ),
        ),
        notify("catalogue_model", EVERYBODY),
        notify("catalogue_trial", EVERYBODY),
    ]
