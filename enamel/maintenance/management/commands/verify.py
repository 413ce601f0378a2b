"""Compares every row of the database with its file and every file with its hash."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.core.errors import Refusal
from enamel.maintenance.backups import Backup
from enamel.maintenance.verifying import repair, verify


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--backup", type=Path, metavar="FOLDER", help="compare with its newest snapshot, too"
        )
        parser.add_argument("--repair", action="store_true", help="cure what can be cured")
        parser.add_argument("--json", action="store_true", help="print the findings as JSON")

    def handle(self, *args: Any, backup: Path | None, **options: Any) -> None:
        known = Backup(backup) if backup else None
        try:
            left = found = verify(known)
            if options["repair"]:
                left = repair(found, known)
        except Refusal as refusal:
            raise CommandError(str(refusal)) from None
        if options["json"]:
            rows = [
                {"fault": one.fault, "name": one.name, "cure": one.cure, "curable": one.curable}
                for one in found
            ]
            self.stdout.write(json.dumps(rows, indent=2, ensure_ascii=False))
        else:
            for finding in found:
                self.stdout.write(str(finding))
            cured = f", {len(found) - len(left)} cured" if options["repair"] else ""
            self.stdout.write(f"{len(found)} findings{cured}." if found else "Nothing is wrong.")
        if left:
            raise SystemExit(1)
