"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import EVERYBODY, notify


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]

    operations = [
        # workers send a heartbeat every few seconds; pages care for what they do
        notify("jobs_worker", EVERYBODY, "UPDATE", "WHEN (OLD.doing IS DISTINCT FROM NEW.doing)"),
    ]
