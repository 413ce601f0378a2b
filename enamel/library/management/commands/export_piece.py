"""Exports a piece with all its layers into a file, which another installation imports."""

from pathlib import Path
from typing import Any
from uuid import UUID

from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.core.files import whole_file
from enamel.library.archives.writing import archive_of
from enamel.library.models import Piece


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("piece", type=UUID, help="its id, the last part of its page's address")
        parser.add_argument("file", type=Path, help="the file to write, such as piece.ora")

    def handle(self, *args: Any, piece: UUID, file: Path, **options: Any) -> None:
        found = Piece.objects.filter(pk=piece, deleted_at=None).first()
        if found is None:
            raise CommandError(f"There is no piece {piece}.")
        with whole_file(file) as partial, partial.open("wb") as written:
            for block in archive_of(found):
                written.write(block)
        self.stdout.write(f"“{found.title}” was written to {file}.")
