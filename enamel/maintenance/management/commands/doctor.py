"""Says what is wrong with this installation, and writes a bundle that can be sent."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from enamel.maintenance.doctor import Level, examine, write_bundle


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: list[str] = []  # noqa: RUF012 - it has to say what is wrong, not to fail of it

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--json", action="store_true", help="print the findings as JSON")
        parser.add_argument(
            "--bundle", type=Path, metavar="FILE.zip",
            help="write findings, versions, settings and the ends of the logs; no pictures, no prompts",
        )  # fmt: skip

    def handle(self, *args: Any, bundle: Path | None, **options: Any) -> None:
        findings = examine()
        if options["json"]:
            rows = [{"level": one.level, "what": one.what, "words": one.words} for one in findings]
            self.stdout.write(json.dumps(rows, indent=2, ensure_ascii=False))
        else:
            for one in findings:
                self.stdout.write(f"{one.level:7} {one.what}: {one.words}")
        if bundle:
            write_bundle(bundle, findings)
            self.stdout.write(f"Written to {bundle}.")
        if any(one.level is Level.WRONG for one in findings):
            raise SystemExit(1)
