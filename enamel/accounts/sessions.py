"""Django's sessions in the database, with the account and browser of each, so that they can be listed.

See "Extending database-backed session engines" in Django's documentation.
"""

from typing import Any, cast

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.http import HttpRequest
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from enamel.accounts.models import Session
from enamel.accounts.signing import counted_address

SIGNED_IN = "signed_in"
"""Key of a session's data: when, with which browser and from where somebody signed in."""


class SessionStore(DatabaseStore):
    """The engine that `SESSION_ENGINE` names."""

    @classmethod
    def get_model_class(cls) -> type[Session]:
        return Session

    def create_model_instance(self, data: dict[str, Any]) -> Session:
        made = cast(Session, super().create_model_instance(data))
        account = data.get(SESSION_KEY)
        if account is not None:
            made.account_id = int(account)
            facts = data.get(SIGNED_IN, {})
            made.signed_in_at = parse_datetime(facts.get("time", ""))
            made.browser = facts.get("browser", "")
            made.network_address = facts.get("address", "")
        return made


def note_sign_in(sender: object, request: HttpRequest, user: User, **_: object) -> None:
    """Store in the session when, with which browser and from where the account signed in."""
    request.session[SIGNED_IN] = {
        "time": timezone.now().isoformat(),
        "browser": request.META.get("HTTP_USER_AGENT", "")[:200],
        "address": counted_address(request) or "",
    }
