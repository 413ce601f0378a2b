"""Sessions, each with the account that is signed in by it."""

from django.conf import settings
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models


class Session(AbstractBaseSession):
    """A browser that is signed in. `enamel.accounts.sessions` fills in account, time and browser."""

    account = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="+",
        help_text="Empty before signing in.",
    )  # fmt: skip
    signed_in_at = models.DateTimeField(null=True)
    browser = models.CharField(max_length=200, blank=True, help_text="What it calls itself.")
    network_address = models.CharField(max_length=45, blank=True)

    class Meta:
        ordering = ["-signed_in_at"]

    def __str__(self) -> str:
        return f"session of {self.account}"
