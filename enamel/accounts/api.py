"""Sign requests in by token, check their scopes, and limit their rate."""

import threading
import time

from django.conf import settings
from django.core.cache import cache
from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.security import HttpBearer
from ninja.throttling import BaseThrottle

from enamel.accounts.models import Scope, Token

SECONDS = {"s": 1, "m": 60, "h": 3600}


class Bearer(HttpBearer):
    """Authenticate by a token with at least one scope. The API's description names each scope."""

    scope: Scope

    def authenticate(self, request: HttpRequest, token: str) -> Token | None:
        found = Token.objects.known(token)
        if found is None:
            return None
        require_in(found, self.scope)
        found.note_use()
        request.user = found.owner
        return found


def require_in(token: Token, scope: Scope) -> None:
    """Refuse a token that lacks a scope."""
    if scope not in token.scopes:
        raise HttpError(403, f"This token is not good for this; it needs “{scope.value}”.")


def require_scope(request: HttpRequest, scope: Scope) -> None:
    """Refuse a request that needs a further scope which its token lacks."""
    require_in(request.auth, scope)  # type: ignore[attr-defined]


class Read(Bearer):
    scope = Scope.READ


class Import(Bearer):
    scope = Scope.IMPORT


class Fire(Bearer):
    scope = Scope.FIRE


class Files(Bearer):
    scope = Scope.FILES


class TokenThrottle(BaseThrottle):
    """Limit how often each token may send requests.

    Parameters
    ----------
    rate : such as "600/m": requests in a second, minute or hour.
    """

    def __init__(self, rate: str) -> None:
        most, span = rate.split("/")
        self._most, self._seconds = int(most), SECONDS[span]
        self._name = rate.replace("/", "-")
        self._turn = threading.local()

    def allow_request(self, request: HttpRequest) -> bool:
        token: Token = request.auth  # type: ignore[attr-defined]
        key, now = f"asked-{self._name}-{token.pk}", time.time()
        asked = [at for at in cache.get(key, ()) if at > now - self._seconds]
        if len(asked) >= self._most:
            self._turn.wait = asked[0] + self._seconds - now
            return False
        cache.set(key, [*asked, now], self._seconds)
        return True

    def wait(self) -> float:
        """Seconds until the refused token may send its next request."""
        return float(self._turn.wait)


READ, IMPORT, FIRE, FILES = Read(), Import(), Fire(), Files()
LOOKING = TokenThrottle(settings.API_LOOKING)
CHANGING = TokenThrottle(settings.API_CHANGING)
