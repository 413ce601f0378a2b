"""Create an account or set an existing one's password: typed here, or through a link that is printed."""

import getpass
from typing import Any

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser

from enamel.accounts import services
from enamel.accounts.audit import COMMAND_LINE
from enamel.accounts.signing import DEMO_NAME
from enamel.core.errors import Refusal


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name", help="letters, digits and @ . + - _")
        parser.add_argument(
            "--link",
            action="store_true",
            help="print a link that sets the password, valid three days",
        )
        parser.add_argument(
            "--administrator",
            action="store_true",
            help="may change what everybody works with; the first account always may",
        )
        parser.add_argument("--site", default="", help="address that the link begins with")

    def handle(self, *args: Any, name: str, link: bool, site: str, administrator: bool,
               **options: Any) -> None:  # fmt: skip
        known = User.objects.filter(username=name).first()
        try:
            password = None if link else asked_twice()
            if password is not None:
                validate_password(password, known or User(username=name))
            others = User.objects.filter(is_staff=True).exclude(username__in=(name, DEMO_NAME))
            administrator = administrator or not others.exists()
            person = known or services.invite(COMMAND_LINE, name, administrator=administrator)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        except Refusal as refusal:
            raise CommandError(str(refusal)) from None
        if password is not None:
            person.set_password(password)
            person.save(update_fields=["password"])
        if administrator:
            services.set_role(COMMAND_LINE, person, administrator=True)
        self.stdout.write(f"{'Changed' if known else 'Made'} the account {name}.")
        if link:
            path = services.password_link(COMMAND_LINE, person)
            self.stdout.write(f"Its password is set at {site.rstrip('/')}{path}")


def asked_twice() -> str:
    password = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != password:
        raise ValidationError("These two passwords are not the same; nothing was changed.")
    return password
