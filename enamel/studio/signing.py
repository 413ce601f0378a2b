"""Who may be signed in, and how passwords are checked."""

from threading import BoundedSemaphore
from typing import Any

from django.conf import settings
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User
from django.db import connection
from django.http import HttpRequest

DEMO_NAME = "kestrel-vale"
hashing = BoundedSemaphore(2)
"""Passwords hashed at once: each takes a processor for a good part of a second."""


class Artists(ModelBackend):
    """Accounts by name and password. The demo account has none, and is only there in demo mode."""

    def authenticate(
        self,
        request: HttpRequest | None,
        username: str | None = None,
        password: str | None = None,
        **given: Any,
    ) -> User | None:
        found = User.objects.filter(username=username or "").first()
        # hashing takes long, and others wait for a connection meanwhile
        if not connection.in_atomic_block:
            connection.close()
        with hashing:
            if found is None:
                User().set_password(password)  # as much work as for an account that there is
                return None
            right = found.check_password(password or "")
        return found if right and self.user_can_authenticate(found) else None

    def get_user(self, user_id: int) -> User | None:
        user = super().get_user(user_id)
        if user is not None and user.get_username() == DEMO_NAME and not settings.DEMO:
            return user if user.has_usable_password() else None
        return user
