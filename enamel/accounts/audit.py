"""Writing to the audit log."""

from django.contrib.auth.base_user import AbstractBaseUser

from enamel.accounts.models.audit import LONGEST, AuditEntry

COMMAND_LINE = "command line"
ENAMEL = "Enamel"


def record(by: AbstractBaseUser | str, action: AuditEntry.Action, subject: str) -> AuditEntry:
    """Add an entry to the audit log.

    Parameters
    ----------
    by : the account that did it, or `COMMAND_LINE` or `ENAMEL`.
    subject : what it was done to; shortened when it is long.
    """
    account, name = (None, by) if isinstance(by, str) else (by.pk, by.get_username())
    return AuditEntry.objects.create(
        account_id=account,
        name=name,
        action=action,
        subject=subject if len(subject) <= LONGEST else subject[: LONGEST - 1] + "…",
    )
