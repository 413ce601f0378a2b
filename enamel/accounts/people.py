"""The account that a request comes from, and what it may do."""

from typing import cast

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.http import HttpRequest

Person = AbstractBaseUser | AnonymousUser


def person(request: HttpRequest) -> AbstractBaseUser:
    """Return the current account. For views behind `login_required`."""
    return cast(AbstractBaseUser, request.user)


def is_administrator(person: Person) -> bool:
    """Return whether a person may change what everybody works with."""
    return bool(getattr(person, "is_staff", False))
