"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("touchups", "0001_initial")]

    operations = [
        notify(
            "touchups_candidate",
            "(SELECT owner_id FROM library_piece JOIN touchups_mending ON piece_id = "
            "library_piece.id WHERE touchups_mending.id = NEW.mending_id)",
        ),
    ]
