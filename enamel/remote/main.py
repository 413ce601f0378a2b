"""The command `enamel`, with ``remote`` among its words."""

from collections.abc import Sequence

from enamel.core.cli import COMMANDS, Command
from enamel.core.cli import main as core_main

ALL = (*COMMANDS, Command("remote", "ask an Enamel that runs elsewhere", "enamel.remote.command"))


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; see `enamel.core.cli.main`."""
    return core_main(arguments, ALL)
