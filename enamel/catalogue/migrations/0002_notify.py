"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import EVERYBODY, notify


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0001_initial")]

    operations = [
        notify("catalogue_model", EVERYBODY),
    ]
