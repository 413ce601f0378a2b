"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("firings", "0001_initial")]

    operations = [
        notify("firings_firing", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
    ]
