"""The commands for this machine's installation. They are management commands of the web application."""

import argparse
import os
import subprocess
import sys
from collections.abc import Callable

COMMANDS = ("backup", "restore", "verify", "doctor", "export-piece", "import-piece")


def _declared(name: str) -> Callable[[argparse.ArgumentParser], None]:
    def declare(command: argparse.ArgumentParser) -> None:
        command.prefix_chars = ""  # every argument, also --help, belongs to the management command
        command.add_argument("words", nargs="*")
        command.set_defaults(run=lambda given: _run(name, given.words))

    return declare


def _run(name: str, words: list[str]) -> None:
    """Run a management command in a separate process, and pass its exit code on."""
    environment = {"DJANGO_SETTINGS_MODULE": "enamel.server.settings"} | os.environ
    ended = subprocess.run(
        [sys.executable, "-m", "django", name.replace("-", "_"), *words], env=environment
    )
    if ended.returncode:
        raise SystemExit(ended.returncode)


ARGUMENTS = {name: _declared(name) for name in COMMANDS}
