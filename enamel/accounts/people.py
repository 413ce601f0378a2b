"""The account that a request comes from, and what it may do."""

from collections.abc import Callable
from functools import wraps
from typing import Any, cast

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import AnonymousUser
from django.http import Http404, HttpRequest, HttpResponse

Person = AbstractBaseUser | AnonymousUser
View = Callable[..., HttpResponse]


def person(request: HttpRequest) -> AbstractBaseUser:
    """Return the current account. For views behind `login_required`."""
    return cast(AbstractBaseUser, request.user)


def is_administrator(person: Person) -> bool:
    """Return whether a person may change what everybody works with."""
    return bool(getattr(person, "is_staff", False))


def administrators_only(view: View) -> View:
    """Answer others as if the page did not exist."""

    @wraps(view)
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not is_administrator(request.user):
            raise Http404
        return view(request, *args, **kwargs)

    return login_required(guarded)
