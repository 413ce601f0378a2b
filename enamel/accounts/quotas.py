"""Quotas: how much of the disk an account may use."""

from pathlib import Path
from typing import Any

from enamel.accounts.models import Preferences
from enamel.core.errors import Refusal
from enamel.storage.disk import require_room
from enamel.storage.usage import bytes_of


def quota_of(owner_id: Any) -> int | None:
    """Return an account's quota in GB; None where it has none."""
    found = Preferences.objects.filter(artist_id=owner_id).values_list("quota_gb", flat=True)
    return found.first()


def require_quota(owner_id: Any, needed_mb: float) -> None:
    """Refuse work whose result would exceed the account's quota.

    Raises
    ------
    Refusal
    """
    quota = quota_of(owner_id)
    if quota is None:
        return
    used_gb = bytes_of(owner_id) / 1e9
    if used_gb + needed_mb / 1000 > quota:
        raise Refusal(
            f"This needs {needed_mb / 1000:.1f} GB, and {used_gb:.1f} of your {quota} GB are used. Nothing "
            "was started; delete pieces or print files, or ask an administrator for a larger quota."
        )


def require_space(owner_id: Any, needed_mb: float, folder: Path) -> None:
    """Refuse work that the disk under ``folder`` or the account's quota has no space for.

    Raises
    ------
    Refusal
    """
    require_room(needed_mb, folder)
    require_quota(owner_id, needed_mb)
