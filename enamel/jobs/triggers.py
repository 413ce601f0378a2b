"""Make the database notify pages of changes, so that no code can forget to.

A notification on the channel ``enamel`` holds the id of the artist whose rows changed, or 0 where the change
concerns everybody. Equal notifications of one transaction are one.
"""

from django.db import migrations

EVERYBODY = "0"


def notify(
    table: str, owner: str, when: str = "INSERT OR UPDATE", only: str = ""
) -> migrations.RunSQL:
    """Return a migration operation by which a table notifies of its changes.

    Parameters
    ----------
    owner : SQL for the id of the artist whose row ``NEW`` is.
    when, only : the events, and a condition on them.
    """
    name = f"{table}_notify"
    return migrations.RunSQL(
        f"CREATE FUNCTION {name}() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
        f"PERFORM pg_notify('enamel', COALESCE({owner}, 0)::text); RETURN NULL; END $$;"
        f"CREATE TRIGGER {name} AFTER {when} ON {table} FOR EACH ROW {only} "
        f"EXECUTE FUNCTION {name}();",
        f"DROP TRIGGER {name} ON {table}; DROP FUNCTION {name}();",
    )
