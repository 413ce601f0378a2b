"""Create an account or set an existing one's password: typed here, or through a link that is printed."""

import getpass
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import models
from django.urls import reverse
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode

from enamel.accounts.signing import DEMO_NAME


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
        person, made = get_user_model().objects.get_or_create(username=name)
        try:
            person.full_clean(exclude=["password"])
            if link:
                password = None
            else:
                password = asked_twice()
                validate_password(password, person)
        except ValidationError as error:
            if made:
                person.delete()
            raise CommandError(" ".join(error.messages)) from None
        if password is not None:
            person.set_password(password)
        elif made:
            person.set_unusable_password()
        others = (
            get_user_model()
            .objects.filter(is_staff=True)
            .exclude(models.Q(pk=person.pk) | models.Q(username=DEMO_NAME))
        )
        person.is_staff = person.is_staff or administrator or not others.exists()
        person.save()
        self.stdout.write(f"{'Made' if made else 'Changed'} the account {name}.")
        if link:
            self.stdout.write(f"Its password is set at {site.rstrip('/')}{link_for(person)}")


def asked_twice() -> str:
    password = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != password:
        raise ValidationError("These two passwords are not the same; nothing was changed.")
    return password


def link_for(person: User) -> str:
    """Return the path of a page where this person can set a password, once."""
    number = urlsafe_base64_encode(force_bytes(person.pk))
    return reverse("set-password", args=[number, default_token_generator.make_token(person)])
