"""Signing in: who may, how passwords are checked, and when trying is paused (by django-axes)."""

import math
import unicodedata
from threading import BoundedSemaphore
from typing import Any

from axes.models import AccessAttempt  # type: ignore[import-untyped]
from django.conf import settings
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.models import User
from django.db import connection
from django.db.models import Max
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone

DEMO_NAME = "kestrel-vale"
BACKEND = "enamel.accounts.signing.AccountBackend"
"""The entry of `AUTHENTICATION_BACKENDS` that signs in; the other one only counts wrong passwords."""
hashing = BoundedSemaphore(2)
"""Passwords hashed at a time: each occupies a processor for most of a second."""


class AccountBackend(ModelBackend):
    """Accounts with name and password. The demo account has no password, and exists in demo mode only."""

    def authenticate(
        self,
        request: HttpRequest | None,
        username: str | None = None,
        password: str | None = None,
        **given: Any,
    ) -> User | None:
        found = User.objects.filter(username=username or "").first()
        # hashing takes long, and other requests need the connection meanwhile
        if not connection.in_atomic_block:
            connection.close()
        with hashing:
            if found is None:
                User().set_password(password)  # as much work as for a known name
                return None
            right = found.check_password(password or "")
        return found if right and self.user_can_authenticate(found) else None

    def get_user(self, user_id: int) -> User | None:
        user = super().get_user(user_id)
        if user is not None and user.get_username() == DEMO_NAME and not settings.DEMO:
            return user if user.has_usable_password() else None
        return user


def counted_name(request: HttpRequest, credentials: dict[str, Any] | None = None) -> str:
    """Return the name that wrong passwords are counted under: one for all spellings that the sign-in form
    takes for the same account, and for upper and lower case.
    """
    given = (credentials or {}).get("username") or request.POST.get("username", "")
    return unicodedata.normalize("NFKC", str(given)).strip().casefold()[:150]


def counted_address(request: HttpRequest) -> str | None:
    """Return the address that wrong passwords are counted under.

    It is the connection's own, unless the connection comes from a proxy that ENAMEL_PROXIES names.
    """
    return request.META.get("REMOTE_ADDR") or None


def locked_out(request: HttpRequest, *_: object) -> HttpResponse:
    """Return the sign-in page that says how long to wait after too many wrong passwords."""
    form = AuthenticationForm(request, initial={"username": request.POST.get("username", "")})
    shown = {"form": form, "wait": seconds_left(request), "next": request.POST.get("next", "")}
    return render(request, "accounts/sign_in.html", shown, status=429)


def seconds_left(request: HttpRequest) -> int:
    """Return the seconds until the name may be tried again from this address."""
    attempts = AccessAttempt.objects.filter(
        username=counted_name(request), ip_address=counted_address(request)
    )
    last = attempts.aggregate(last=Max("attempt_time"))["last"] or timezone.now()
    left = last + settings.AXES_COOLOFF_TIME - timezone.now()
    return max(1, math.ceil(left.total_seconds()))
