"""The tables of version 1.0."""

import uuid

import django.contrib.postgres.fields
import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

from enamel.jobs.triggers import EVERYBODY, notify


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Worker",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                ("host", models.CharField(help_text="Name of its machine.", max_length=100)),
                ("process", models.PositiveIntegerField(help_text="Its number there.")),
                (
                    "queues",
                    django.contrib.postgres.fields.ArrayField(
                        base_field=models.CharField(max_length=20), size=None
                    ),
                ),
                ("began", models.DateTimeField(default=django.utils.timezone.now)),
                ("seen", models.DateTimeField()),
                (
                    "doing",
                    models.CharField(
                        blank=True, help_text="What it is at, in words.", max_length=120
                    ),
                ),
                (
                    "since",
                    models.DateTimeField(blank=True, help_text="When it began that.", null=True),
                ),
                (
                    "subject",
                    models.CharField(
                        blank=True, help_text="The piece it is working on.", max_length=200
                    ),
                ),
                (
                    "rate",
                    models.FloatField(
                        blank=True,
                        help_text="Megapixels that its networks saw a second, last.",
                        null=True,
                    ),
                ),
                (
                    "owner",
                    models.ForeignKey(
                        blank=True,
                        help_text="The artist whose work it is doing.",
                        null=True,
                        on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["host", "began"],
            },
        ),
        # workers send a heartbeat every few seconds; pages care for what they do
        notify("jobs_worker", EVERYBODY, "UPDATE", "WHEN (OLD.doing IS DISTINCT FROM NEW.doing)"),
    ]
