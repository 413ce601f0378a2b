"""The workshop's account at the bureau: its balance, and what was charged, each order once."""

import json
import threading
from pathlib import Path
from typing import Any

from enamel.core.files import whole_file

BEGINNING_CENTS = 5000
RESERVED, TAKEN, RETURNED = "held", "taken", "returned"


class TooLittle(Exception):
    """The balance of the account is too low."""


class Ledger:
    """An account in a file: one payment, then one charge for each order.

    Parameters
    ----------
    path : the file; a new account starts with some money.
    """

    def __init__(self, path: Path, beginning_cents: int) -> None:
        self._path = path
        self._lock = threading.Lock()
        if not path.exists():
            self._write({"paid_in_cents": beginning_cents, "charges": {}})

    def charge(self, order: str, cents: int) -> None:
        """Hold the price of an order; repeated calls hold it once.

        Raises
        ------
        TooLittle
        """
        with self._lock:
            account = self._read()
            if order in account["charges"]:
                return
            if cents > _left(account):
                raise TooLittle
            account["charges"][order] = {"cents": cents, "state": RESERVED}
            self._write(account)

    def settle(self, order: str, state: str) -> None:
        """Charge what is held for an order, or release it."""
        with self._lock:
            account = self._read()
            charge = account["charges"].get(order)
            if charge is not None and charge["state"] == RESERVED:
                charge["state"] = state
                self._write(account)

    def charged(self, order: str) -> int:
        """Cents held or charged for an order; 0 once they were released."""
        charge = self._read()["charges"].get(order)
        return charge["cents"] if charge and charge["state"] != RETURNED else 0

    def shown(self) -> dict[str, Any]:
        """Return the account as clients see it."""
        account = self._read()
        return {
            "balance_cents": _left(account),
            "charges": [{"order": order} | charge for order, charge in account["charges"].items()],
        }

    def _read(self) -> dict[str, Any]:
        account: dict[str, Any] = json.loads(self._path.read_text())
        return account

    def _write(self, account: dict[str, Any]) -> None:
        with whole_file(self._path) as partial:
            partial.write_text(json.dumps(account))


def _left(account: dict[str, Any]) -> int:
    """Cents that are neither held nor charged."""
    spent = sum(one["cents"] for one in account["charges"].values() if one["state"] != RETURNED)
    return int(account["paid_in_cents"]) - spent
