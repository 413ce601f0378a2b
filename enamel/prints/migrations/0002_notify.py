"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("prints", "0001_initial")]

    operations = [
        notify(
            "prints_printfile",
            "(SELECT owner_id FROM library_piece JOIN library_layer ON piece_id = "
            "library_piece.id WHERE library_layer.id = NEW.layer_id)",
        ),
    ]
