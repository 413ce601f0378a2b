"""The page of disk use: the artist's files, and for administrators the quotas of all accounts."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django import forms
from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import User

from enamel.accounts.models import Preferences
from enamel.accounts.people import is_administrator
from enamel.accounts.quotas import quota_of
from enamel.library.layers import tile_store
from enamel.library.models import Piece
from enamel.storage.disk import free_bytes
from enamel.storage.usage import Usage, bytes_of, usage_of

MOST_GB = 1_000_000
"""Largest quota."""
LARGEST = 10
"""Pieces that are listed."""
ALMOST_FULL = 0.9
"""Fraction of a quota from which the page warns."""


class QuotaForm(forms.Form):
    """The quota of an account in GB; empty for none."""

    quota = forms.IntegerField(
        required=False, min_value=1, max_value=MOST_GB,
        error_messages={"invalid": "Type a whole number of GB, or nothing for no limit."},
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class AccountUse:
    """An account with what it uses, for administrators."""

    id: int
    name: str
    bytes: int
    quota_gb: int | None


def present_disk(person: AbstractBaseUser) -> dict[str, Any]:
    """Return the page's values for an artist or administrator."""
    usage = usage_of(person.pk)
    quota_gb = quota_of(person.pk)
    used = usage.bytes / (quota_gb * 1e9) if quota_gb else None
    shown: dict[str, Any] = {
        "usage": usage,
        "quota_gb": quota_gb,
        "percent": min(100, round(100 * used)) if used is not None else None,
        "almost_full": used is not None and used >= ALMOST_FULL,
        "largest": _largest(usage),
        "free": free_bytes(Path(settings.KILN_WORK)),
    }
    if is_administrator(person):
        tiles = tile_store()
        shown |= {
            "accounts": _accounts(),
            "tiles": tiles.bytes,
            "tiles_limit": int(tiles.limit),
        }
    return shown


def _largest(usage: Usage) -> list[tuple[Piece, int]]:
    """Return the pieces that take most, the largest first."""
    most = sorted(usage.pieces.items(), key=lambda item: -item[1])[:LARGEST]
    pieces = Piece._base_manager.in_bulk([pk for pk, _ in most])
    return [(pieces[pk], size) for pk, size in most if pk in pieces]


def _accounts() -> list[AccountUse]:
    found = User.objects.order_by("username").values_list("pk", "username")
    quotas = dict(Preferences.objects.values_list("artist_id", "quota_gb"))
    return [AccountUse(pk, name, bytes_of(pk), quotas.get(pk)) for pk, name in found]
