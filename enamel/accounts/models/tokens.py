"""API tokens of artists' scripts."""

import secrets
from datetime import timedelta
from hashlib import sha256

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.utils import timezone

from enamel.core.errors import Refusal

MOST_TOKENS = 40
"""Per artist."""
SHOWN = 6
"""First characters of a token, shown to identify it."""
NOTED_EVERY = timedelta(minutes=1)
"""Shortest time between two updates of a token's last use."""


class Scope(models.TextChoices):
    """What a token allows."""

    READ = "read", "Look at pieces, layers, checks and files, and take them away"
    IMPORT = "import", "Import and delete pictures"
    FIRE = "fire", "Change schedules; fire, swatch, batch"
    FILES = "files", "Have print files written"


class TokenManager(models.Manager["Token"]):
    def issue(self, owner: AbstractBaseUser, name: str, scopes: list[str]) -> "tuple[Token, str]":
        """Return a new token and its text, which is shown once and not kept.

        Raises
        ------
        Refusal
            When no scope is chosen, or the artist has too many tokens.
        """
        known = [scope for scope in Scope.values if scope in scopes]
        if not known:
            raise Refusal("Choose at least one thing that the token is good for.")
        if self.filter(owner_id=owner.pk).count() >= MOST_TOKENS:
            raise Refusal(f"There are {MOST_TOKENS} tokens already; revoke some first.")
        text = f"en_{secrets.token_urlsafe(32)}"
        made = self.create(
            owner_id=owner.pk, name=name.strip()[:80] or "A script", scopes=known,
            begins=text[: SHOWN + 3], sha256=_hash(text),
        )  # fmt: skip
        return made, text

    def known(self, text: str) -> "Token | None":
        """Return the token with this text, if its owner may sign in."""
        found = self.filter(sha256=_hash(text), owner__is_active=True).select_related("owner")
        return found.first()


class Token(models.Model):
    """Lets a script act as its owner. Only the token's hash is stored."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80, help_text="What it is for.")
    scopes = ArrayField(models.CharField(max_length=10, choices=Scope.choices))
    begins = models.CharField(max_length=12)
    sha256 = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(default=timezone.now)
    used = models.DateTimeField(null=True, blank=True)

    objects = TokenManager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.name} ({self.begins}…)"

    @property
    def good_for(self) -> list[str]:
        """Names of its scopes."""
        return [str(Scope(scope).label) for scope in self.scopes]

    def note_use(self) -> None:
        """Store the time of this use, to the minute."""
        now = timezone.now()
        if self.used is None or now - self.used > NOTED_EVERY:
            type(self).objects.filter(pk=self.pk).update(used=now)


def _hash(text: str) -> str:
    return sha256(text.encode()).hexdigest()
