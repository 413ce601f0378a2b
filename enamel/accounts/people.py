"""The account that a request comes from."""

from typing import cast

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.http import HttpRequest

Person = AbstractBaseUser | AnonymousUser


def person(request: HttpRequest) -> AbstractBaseUser:
    """Return the current account. For views behind `login_required`."""
    return cast(AbstractBaseUser, request.user)
