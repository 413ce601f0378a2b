"""Models of accounts: preferences, API tokens, sessions, the audit log."""

from enamel.accounts.models.audit import AuditEntry
from enamel.accounts.models.preferences import Preferences
from enamel.accounts.models.sessions import Session
from enamel.accounts.models.tokens import Scope, Token

__all__ = ["AuditEntry", "Preferences", "Scope", "Session", "Token"]
