"""What administrators may do with accounts."""

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import User
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.db import transaction
from django.urls import reverse
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode

from enamel.accounts.audit import record
from enamel.accounts.models import AuditEntry, Session, Token
from enamel.accounts.signals import account_leaving
from enamel.accounts.signing import DEMO_NAME
from enamel.core.errors import Refusal

Action = AuditEntry.Action
LAST_ADMINISTRATOR = "is the only administrator. Make another account an administrator first."


def role_of(account: User) -> str:
    return "administrator" if account.is_staff else "artist"


def invite(by: AbstractBaseUser | str, name: str, *, administrator: bool) -> User:
    """Create an account without a password; `password_link` lets its artist choose one.

    Raises
    ------
    Refusal
        When the name is taken, empty or has other characters than letters, digits and @ . + - _.
    """
    account = User(username=User.normalize_username(name.strip()), is_staff=administrator)
    account.set_unusable_password()
    try:
        account.full_clean(exclude=["password"])
    except ValidationError as error:
        raise Refusal(f"{' '.join(error.messages)} No account was created.") from None
    with transaction.atomic():
        account.save()
        record(by, Action.ACCOUNT_CREATED, f"{account.username}, {role_of(account)}")
    return account


def password_link(by: AbstractBaseUser | str, account: User) -> str:
    """Return the path of a page where the account's password can be set, once, within three days."""
    record(by, Action.LINK_CREATED, account.username)
    number = urlsafe_base64_encode(force_bytes(account.pk))
    return reverse("set-password", args=[number, default_token_generator.make_token(account)])


@transaction.atomic
def set_role(by: AbstractBaseUser | str, account: User, *, administrator: bool) -> None:
    """Make an account an administrator or an artist.

    Raises
    ------
    Refusal
        When it is the only administrator.
    """
    if account.is_staff == administrator:
        return
    if not administrator:
        _require_another_administrator(account)
    account.is_staff = administrator
    account.save(update_fields=["is_staff"])
    record(by, Action.ROLE_CHANGED, f"{account.username} is now {role_of(account)}")


@transaction.atomic
def switch(by: AbstractBaseUser, account: User, *, on: bool) -> None:
    """Let an account sign in, or end its sessions and refuse its password and tokens.

    Raises
    ------
    Refusal
        When it is one's own account or the only administrator.
    """
    if account.is_active == on:
        return
    if not on:
        _refuse_own(by, account)
        _require_another_administrator(account)
        Session.objects.filter(account=account).delete()
    account.is_active = on
    account.save(update_fields=["is_active"])
    record(by, Action.SWITCHED_ON if on else Action.SWITCHED_OFF, account.username)


def delete(by: AbstractBaseUser, account: User, heir: User | None) -> None:
    """Delete an account with its presets, batches and tokens.

    Parameters
    ----------
    heir : who gets its pieces, with all that hangs on them; None deletes them for good.

    Raises
    ------
    Refusal
        When it is one's own account or the only administrator.
    """
    _refuse_own(by, account)
    with transaction.atomic():
        _require_another_administrator(account)
    # committed piece by piece: files must not be deleted while their rows may still be rolled back
    account_leaving.send(User, account=account, heir=heir)
    pieces = f"its pieces given to {heir.username}" if heir else "its pieces deleted"
    with transaction.atomic():
        _require_another_administrator(account)
        record(by, Action.ACCOUNT_DELETED, f"{account.username}, {pieces}")
        account.delete()


def _refuse_own(by: AbstractBaseUser, account: User) -> None:
    if account.pk == by.pk:
        raise Refusal("This is your own account; another administrator can do this.")


def _require_another_administrator(account: User) -> None:
    administrators = User.objects.select_for_update().filter(is_staff=True, is_active=True)
    # locked, so that of two administrators who remove each other at once one stays
    known = set(administrators.values_list("username", flat=True)) - {DEMO_NAME}
    if known and known <= {account.username}:
        raise Refusal(f"{account.username} {LAST_ADMINISTRATOR}")


def end_session(by: AbstractBaseUser, key: str) -> None:
    """End one of the account's sessions: that browser has to sign in again."""
    found = Session.objects.filter(account_id=by.pk, session_key=key).first()
    if found is not None:
        record(by, Action.SESSION_ENDED, found.browser or "a browser without a name")
        found.delete()


def end_other_sessions(by: AbstractBaseUser, key: str) -> None:
    """End all of the account's sessions but the one with this key."""
    found = Session.objects.filter(account_id=by.pk).exclude(session_key=key)
    if found.exists():
        record(by, Action.SESSION_ENDED, "all other browsers")
        found.delete()


def issue_token(owner: AbstractBaseUser, name: str, scopes: list[str]) -> tuple[Token, str]:
    """Return a new token and its text, as `TokenManager.issue` does, and record it."""
    made, text = Token.objects.issue(owner, name, scopes)
    record(owner, Action.TOKEN_CREATED, f"{made.name}: {', '.join(made.scopes)}")
    return made, text


def revoke_token(token: Token) -> None:
    """Delete a token: it lets nobody in any more."""
    record(token.owner, Action.TOKEN_REVOKED, token.name)
    token.delete()
