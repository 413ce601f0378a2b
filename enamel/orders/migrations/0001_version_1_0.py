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
        ("prints", "0001_version_1_0"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="ServiceAnswer",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("question", models.CharField(max_length=40, unique=True)),
                ("address", models.CharField(help_text="Whom it was asked.", max_length=300)),
                ("answer", models.JSONField(null=True)),
                (
                    "answered",
                    models.DateTimeField(blank=True, help_text="When the answer came.", null=True),
                ),
                (
                    "asked",
                    models.DateTimeField(
                        default=django.utils.timezone.now, help_text="When it was last asked."
                    ),
                ),
                (
                    "error",
                    models.CharField(
                        blank=True, help_text="Why the last time brought no answer.", max_length=400
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="SentCoat",
            fields=[
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
                    "number",
                    models.CharField(
                        blank=True, help_text="What the service calls it.", max_length=60
                    ),
                ),
                (
                    "uncertain",
                    models.BooleanField(
                        default=False,
                        help_text="It was placed and no answer came, so the service may have it.",
                    ),
                ),
                (
                    "moved",
                    models.DateTimeField(
                        default=django.utils.timezone.now, help_text="When it last got on."
                    ),
                ),
                (
                    "news",
                    models.CharField(blank=True, help_text="What is waited for.", max_length=300),
                ),
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4,
                        editable=False,
                        help_text="Also the key by which the bureau charges it once.",
                        primary_key=True,
                        serialize=False,
                    ),
                ),
                ("frozen", models.JSONField(help_text="The coat, every setting spelt out.")),
                (
                    "terms",
                    models.JSONField(
                        default=dict, help_text="The bureau's conditions at the time."
                    ),
                ),
                (
                    "offer",
                    models.CharField(blank=True, help_text="The offer's number.", max_length=60),
                ),
                ("cents", models.PositiveIntegerField(default=0, help_text="The offered price.")),
                ("currency", models.CharField(default="EUR", max_length=3)),
                ("expires", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("asking", "Waiting for an offer"),
                            ("offered", "Offered"),
                            ("waiting", "Waiting to be sent"),
                            ("sending", "Being sent"),
                            ("rendering", "At the bureau"),
                            ("fetching", "Coming back"),
                            ("cancelling", "Being cancelled"),
                            ("doubted", "Came back, but changed"),
                            ("done", "Done"),
                            ("failed", "Failed"),
                            ("left", "Cancelled"),
                        ],
                        default="offered",
                        max_length=10,
                    ),
                ),
                ("ordered", models.DateTimeField(blank=True, null=True)),
                (
                    "charged_cents",
                    models.PositiveIntegerField(
                        default=0,
                        help_text="Counts towards the limit from the order on; 0 once given back.",
                    ),
                ),
                (
                    "spoilt",
                    models.PositiveIntegerField(
                        default=0, help_text="Times that the result came with a wrong checksum."
                    ),
                ),
                (
                    "compared",
                    models.JSONField(default=dict, help_text="What came back against what left."),
                ),
                ("preview", models.FileField(blank=True, upload_to="sent-out/")),
                (
                    "pixels",
                    models.FileField(
                        blank=True,
                        help_text="What came back, while the artist decides.",
                        upload_to="sent-out/",
                    ),
                ),
                (
                    "piece",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="sent_coats",
                        to="library.piece",
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
            name="SpendingLimit",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("cents", models.PositiveIntegerField(default=2000)),
                (
                    "owner",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="ShopOrder",
            fields=[
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
                    "number",
                    models.CharField(
                        blank=True, help_text="What the service calls it.", max_length=60
                    ),
                ),
                (
                    "uncertain",
                    models.BooleanField(
                        default=False,
                        help_text="It was placed and no answer came, so the service may have it.",
                    ),
                ),
                (
                    "moved",
                    models.DateTimeField(
                        default=django.utils.timezone.now, help_text="When it last got on."
                    ),
                ),
                (
                    "news",
                    models.CharField(blank=True, help_text="What is waited for.", max_length=300),
                ),
                (
                    "id",
                    models.UUIDField(
                        default=uuid.uuid4, editable=False, primary_key=True, serialize=False
                    ),
                ),
                ("paper", models.CharField(max_length=40)),
                ("copies", models.PositiveIntegerField(default=1)),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("waiting", "Waiting to be sent"),
                            ("sending", "Being sent"),
                            ("checking", "The shop is checking it"),
                            ("accepted", "Accepted"),
                            ("refused", "Refused"),
                            ("failed", "Not sent"),
                        ],
                        default="waiting",
                        max_length=10,
                    ),
                ),
                ("answer", models.JSONField(default=dict, help_text="The shop's answer.")),
                ("proof", models.FileField(blank=True, upload_to="proofs/")),
                (
                    "print_file",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="orders",
                        to="prints.printfile",
                    ),
                ),
            ],
            options={
                "ordering": ["-created"],
                "constraints": [
                    models.UniqueConstraint(
                        condition=models.Q(("state__in", ["waiting", "sending", "checking"])),
                        fields=("print_file",),
                        name="one_open_order_per_file",
                    )
                ],
            },
        ),
        notify(
            "orders_shoporder",
            "(SELECT owner_id FROM library_piece JOIN library_layer ON piece_id = "
            "library_piece.id JOIN prints_printfile ON layer_id = library_layer.id WHERE "
            "prints_printfile.id = NEW.print_file_id)",
        ),
        notify("orders_sentcoat", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
    ]
