"""The tables of version 1.0."""

import django.contrib.postgres.fields
import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Preferences",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "unit",
                    models.CharField(
                        choices=[("mm", "mm"), ("cm", "cm"), ("in", "in")],
                        default="mm",
                        max_length=2,
                    ),
                ),
                (
                    "keys",
                    models.JSONField(
                        default=dict, help_text="Keys of shortcuts that were changed."
                    ),
                ),
                (
                    "artist",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "verbose_name_plural": "preferences",
            },
        ),
        migrations.CreateModel(
            name="Token",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(help_text="What it is for.", max_length=80)),
                (
                    "scopes",
                    django.contrib.postgres.fields.ArrayField(
                        base_field=models.CharField(
                            choices=[
                                (
                                    "read",
                                    "Look at pieces, layers, checks and files, and take them away",
                                ),
                                ("import", "Import and delete pictures"),
                                ("fire", "Change schedules; fire, swatch, batch"),
                                ("files", "Have print files written"),
                            ],
                            max_length=10,
                        ),
                        size=None,
                    ),
                ),
                ("begins", models.CharField(max_length=12)),
                ("sha256", models.CharField(max_length=64, unique=True)),
                ("created", models.DateTimeField(default=django.utils.timezone.now)),
                ("used", models.DateTimeField(blank=True, null=True)),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="tokens",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
            },
        ),
    ]
