"""What the pages of accounts show."""

from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import User
from django.db.models import Count, QuerySet
from django.utils import timezone

from enamel.accounts.forms import ROLES, DeleteAccountForm
from enamel.accounts.models import Session
from enamel.accounts.quotas import quota_of
from enamel.accounts.services import role_of
from enamel.storage.usage import bytes_of


def present_accounts() -> list[dict[str, Any]]:
    """Return a row for each account, by name."""
    return [_row(account) for account in _counted()]


def present_account(account: User, viewer: AbstractBaseUser) -> dict[str, Any]:
    """Return the values of one account's page."""
    return {
        "row": _row(_counted().get(pk=account.pk)),
        "bytes": bytes_of(account.pk),
        "quota_gb": quota_of(account.pk),
        "roles": ROLES,
        "own": account.pk == viewer.pk,
        "form": DeleteAccountForm(account=account),
    }


def present_sessions(account: AbstractBaseUser, current: str | None) -> list[dict[str, Any]]:
    """Return where an account is signed in, the last sign-in first."""
    found = Session.objects.filter(account_id=account.pk, expire_date__gt=timezone.now())
    return [
        {
            "row": session,
            "browser": name_browser(session.browser),
            "current": session.session_key == current,
        }
        for session in found
    ]


def name_browser(user_agent: str) -> str:
    """Return a browser's name and system as people know them; what it calls itself where it is unknown."""
    import ua_parser  # its rules take half a second, and only one page needs them

    found = ua_parser.parse(user_agent)
    browser = (
        f"{found.user_agent.family} {found.user_agent.major or ''}".strip()
        if found.user_agent
        else ""
    )
    system = f" on {found.os.family}" if browser and found.os else ""
    return f"{browser}{system}" or user_agent or "A browser without a name"


def _counted() -> QuerySet[User]:
    return User.objects.order_by("username").annotate(pieces_count=Count("pieces", distinct=True))


def _row(account: User) -> dict[str, Any]:
    return {
        "id": account.pk,
        "name": account.username,
        "role": role_of(account),
        "active": account.is_active,
        "invited": not account.has_usable_password() and account.last_login is None,
        "last_login": account.last_login,
        "pieces": account.pieces_count,  # type: ignore[attr-defined]
    }
