"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("uploads", "0001_initial")]

    operations = [
        notify("uploads_upload", "NEW.owner_id"),
    ]
