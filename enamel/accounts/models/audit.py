"""The audit log: what was done that can't be undone, or that changes what accounts may do."""

from django.conf import settings
from django.db import models
from django.utils import timezone

LONGEST = 200
"""Characters of a subject."""


class AuditEntry(models.Model):
    """One action, who did it and what it was done to. Names are stored, so that entries outlive accounts."""

    class Action(models.TextChoices):
        """What was done."""

        ACCOUNT_CREATED = "account-created", "Account created"
        ACCOUNT_DELETED = "account-deleted", "Account deleted"
        SWITCHED_OFF = "switched-off", "Account switched off"
        SWITCHED_ON = "switched-on", "Account switched on"
        ROLE_CHANGED = "role-changed", "Role changed"
        LINK_CREATED = "link-created", "Password link created"
        QUOTA_SET = "quota-set", "Quota set"
        SESSION_ENDED = "session-ended", "Session ended"
        TOKEN_CREATED = "token-created", "Token created"
        TOKEN_REVOKED = "token-revoked", "Token revoked"
        MODEL_SWITCHED_OFF = "model-switched-off", "Model switched off"
        MODEL_SWITCHED_ON = "model-switched-on", "Model switched on"
        MODEL_DELETED = "model-deleted", "Model deleted"
        PIECE_DELETED = "piece-deleted", "Piece deleted for good"
        COAT_ORDERED = "coat-ordered", "Coat ordered from the bureau"
        FILE_ORDERED = "file-ordered", "Print ordered from the shop"

    time = models.DateTimeField(default=timezone.now, db_index=True)
    account = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="Who did it; empty for what Enamel or the command line did.",
    )  # fmt: skip
    name = models.CharField(max_length=150, help_text="The account's name at that time.")
    action = models.CharField(max_length=20, choices=Action.choices)
    subject = models.CharField(max_length=LONGEST)

    class Meta:
        ordering = ["-time", "-pk"]
        verbose_name_plural = "audit entries"

    def __str__(self) -> str:
        return f"{self.name}: {self.get_action_display()}: {self.subject}"
