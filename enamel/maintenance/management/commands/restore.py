"""Restores a backup into a new installation, whose processes are stopped and whose database runs."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.core.errors import Refusal
from enamel.maintenance.backups import Backup
from enamel.maintenance.restoring import restore


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path, help="that backups were made into")
        parser.add_argument(
            "--snapshot", default="", metavar="NAME", help="the newest unless one is named"
        )

    def handle(self, *args: Any, folder: Path, snapshot: str, **options: Any) -> None:
        try:
            manifest = restore(Backup(folder), snapshot)
        except Refusal as refusal:
            raise CommandError(str(refusal)) from None
        self.stdout.write(
            f"Restored {len(manifest.files)} files and the database of snapshot {manifest.made}. "
            "Everybody signs in again."
        )
