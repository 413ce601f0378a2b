"""Changes of state that only one of several processes can make."""

from collections.abc import Collection
from typing import Any

from django.db import models


class Transitions(models.Model):
    """A row with a ``state`` that several processes may want to change at the same time."""

    class Meta:
        abstract = True

    state: Any

    def transition(self, to: str, *, only_from: Collection[str], **fields: Any) -> bool:
        """Move the row to another state unless somebody else was first.

        Parameters
        ----------
        only_from : states that it may be moved out of.
        fields : further columns to set with it.

        Returns
        -------
        Whether this call moved it. The instance then has the new values.
        """
        there: models.Q = models.Q(pk=self.pk) & models.Q(("state__in", list(only_from)))
        known = type(self)._default_manager.filter(there)
        if not known.update(state=to, **fields):
            return False
        for name, value in (fields | {"state": to}).items():
            setattr(self, name, value)
        return True
