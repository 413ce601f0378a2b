"""Imports a piece from a file that another installation exported, of any size."""

from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.core.errors import Refusal
from enamel.library.archives.reading import import_archive, is_archive


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--owner", required=True, help="name of the account it is imported for")

    def handle(self, *args: Any, file: Path, owner: str, **options: Any) -> None:
        account = User.objects.filter(username=owner).first()
        if account is None:
            raise CommandError(f"There is no account {owner}.")
        if not file.is_file() or not is_archive(file):
            raise CommandError(f"{file} is not a piece's archive.")
        try:
            piece = import_archive(account.pk, file)
        except Refusal as refusal:
            raise CommandError(str(refusal)) from None
        self.stdout.write(f"“{piece.title}” was imported: {piece.get_absolute_url()}")
