"""Restore a backup into an installation that holds no work yet."""

from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.db.migrations.loader import MigrationLoader
from django.db.utils import ProgrammingError

from enamel.accounts.signing import DEMO_NAME
from enamel.core.errors import Refusal
from enamel.maintenance import postgresql
from enamel.maintenance.backups import Backup, Manifest
from enamel.maintenance.stored import Source
from enamel.maintenance.verifying import repair, verify

RETIRED_APPS = {"sessions"}
"""Apps that earlier versions had; their tables stay, unused."""


def restore(backup: Backup, name: str = "") -> Manifest:
    """Replace what this installation holds by a snapshot.

    Files are put in place first; the database is replaced last, in one step. Until then the installation
    is unchanged but for additional files. Files that Enamel makes again by itself are made when it
    starts.

    Raises
    ------
    Refusal When the installation holds somebody's work, the backup is damaged or of a newer Enamel, or
        processes are running.
    """
    place, manifest = backup.snapshot(name)
    known = {
        ".".join(key) for key in MigrationLoader(None, ignore_no_migrations=True).disk_migrations
    }
    had = {name for name in manifest.migrations if name.split(".")[0] not in RETIRED_APPS}
    if not known.issuperset(had):
        raise Refusal("This backup was made by a newer Enamel. Update first; nothing was changed.")
    _require_no_work()
    postgresql.require_unused()
    damage = list(backup.damage(place.name))
    if damage:
        raise Refusal(f"This backup is damaged; nothing was changed. {' '.join(damage[:10])}")
    for source, content in manifest.files.items():
        backup.bring_back(Source.from_text(source), content)
    postgresql.restore(place / "database.dump")
    call_command("migrate", verbosity=0)
    # the files just put in place were compared with their hashes above
    repair(verify(contents=False))
    return manifest


def _require_no_work() -> None:
    """Refuse when there are accounts other than the demo's."""
    people = get_user_model().objects.exclude(username=DEMO_NAME)
    try:
        there = people.count()
    except ProgrammingError:
        return  # no tables yet
    if there:
        raise Refusal(
            f"{there} accounts are here already, whose work would be replaced. Restore into a new "
            "installation; nothing was changed."
        )
