"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("orders", "0001_initial")]

    operations = [
        notify(
            "orders_shoporder",
            "(SELECT owner_id FROM library_piece JOIN library_layer ON piece_id = "
            "library_piece.id JOIN prints_printfile ON layer_id = library_layer.id WHERE "
            "prints_printfile.id = NEW.print_file_id)",
        ),
        notify("orders_sentcoat", "(SELECT owner_id FROM library_piece WHERE id = NEW.piece_id)"),
    ]
