"""What the pages of accounts show."""

from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import User
from django.db.models import Count, QuerySet

from enamel.accounts.forms import ROLES, DeleteAccountForm
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
