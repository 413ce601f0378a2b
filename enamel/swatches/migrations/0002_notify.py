"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("swatches", "0001_initial")]

    operations = [
        notify(
            "swatches_swatch",
            "(SELECT owner_id FROM library_piece JOIN swatches_swatchsheet ON piece_id = "
            "library_piece.id WHERE swatches_swatchsheet.id = NEW.sheet_id)",
        ),
    ]
