"""News: the database itself tells whom a change concerns, so that no code can forget to.

A notification on the channel ``enamel`` holds the id of the artist whose things changed, or 0 where it
concerns everybody. Equal ones of one transaction are one.
"""

from django.db import migrations

OWNERS = {
    "kiln_arrival": "NEW.owner_id",
    "kiln_batch": "NEW.owner_id",
    "kiln_batchitem": "(SELECT owner_id FROM kiln_batch WHERE id = NEW.batch_id)",
    "kiln_candidate": (
        "(SELECT owner_id FROM kiln_piece JOIN kiln_mending ON piece_id = kiln_piece.id "
        "WHERE kiln_mending.id = NEW.mending_id)"
    ),
    "kiln_firing": "(SELECT owner_id FROM kiln_piece WHERE id = NEW.piece_id)",
    "kiln_layer": "(SELECT owner_id FROM kiln_piece WHERE id = NEW.piece_id)",
    "kiln_model": "0",
    "kiln_printfile": (
        "(SELECT owner_id FROM kiln_piece JOIN kiln_layer ON piece_id = kiln_piece.id "
        "WHERE kiln_layer.id = NEW.layer_id)"
    ),
    "kiln_shoporder": (
        "(SELECT owner_id FROM kiln_piece JOIN kiln_layer ON piece_id = kiln_piece.id "
        "JOIN kiln_printfile ON layer_id = kiln_layer.id "
        "WHERE kiln_printfile.id = NEW.print_file_id)"
    ),
    "kiln_swatch": (
        "(SELECT owner_id FROM kiln_piece JOIN kiln_sheet ON piece_id = kiln_piece.id "
        "WHERE kiln_sheet.id = NEW.sheet_id)"
    ),
}
"""Whose a row is, by its table."""


def trigger(
    table: str, owner: str, when: str = "INSERT OR UPDATE", only: str = ""
) -> migrations.RunSQL:
    """A table that tells of its changes."""
    name = f"{table}_news"
    return migrations.RunSQL(
        f"CREATE FUNCTION {name}() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
        f"PERFORM pg_notify('enamel', COALESCE({owner}, 0)::text); RETURN NULL; END $$;"
        f"CREATE TRIGGER {name} AFTER {when} ON {table} FOR EACH ROW {only} "
        f"EXECUTE FUNCTION {name}();",
        f"DROP TRIGGER {name} ON {table}; DROP FUNCTION {name}();",
    )


class Migration(migrations.Migration):
    dependencies = [("kiln", "0019_batches_workers_timings")]

    operations = [
        *(trigger(table, owner) for table, owner in OWNERS.items()),
        # every worker is heard of every few seconds; news is only what it does
        trigger("kiln_worker", "0", "UPDATE", "WHEN (OLD.doing IS DISTINCT FROM NEW.doing)"),
    ]
