"""Backs everything up into a folder, while Enamel runs: the database, pictures, and the artists' models."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.core.errors import Refusal
from enamel.maintenance.backups import Backup


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "folder", type=Path, help="best on another disk; what it holds is not copied again"
        )
        parser.add_argument(
            "--without-derived", action="store_true",
            help="leave out what Enamel makes again by itself: pyramids, thumbnails, overviews",
        )  # fmt: skip

    def handle(self, *args: Any, folder: Path, without_derived: bool, **options: Any) -> None:
        backup = Backup(folder)
        try:
            name, copied = backup.make(derived=not without_derived)
        except Refusal as refusal:
            raise CommandError(str(refusal)) from None
        _, manifest = backup.snapshot(name)
        total = sum(content.bytes for content in manifest.files.values())
        self.stdout.write(
            f"Snapshot {name}: {len(manifest.files)} files of {total / 1e6:.1f} MB, of which "
            f"{copied / 1e6:.1f} MB were copied, and the database."
        )
        for source in manifest.gone:
            self.stdout.write(
                f"Not in it, because it was deleted meanwhile or is missing: {source}"
            )
