"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("library", "0001_initial")]

    operations = [
        notify("library_layer", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
    ]
