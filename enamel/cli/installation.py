"""The commands that act on this machine's installation: they are the web application's own."""

import argparse
import os
import subprocess
import sys
from collections.abc import Callable

COMMANDS = ("backup", "restore", "verify", "doctor")


def _declared(name: str) -> Callable[[argparse.ArgumentParser], None]:
    def declare(command: argparse.ArgumentParser) -> None:
        command.prefix_chars = ""  # every word, also --help, is the other command's
        command.add_argument("words", nargs="*")
        command.set_defaults(run=lambda given: _run(name, given.words))

    return declare


def _run(name: str, words: list[str]) -> None:
    """Run one of the application's commands in a separate process; its exit code is passed on."""
    environment = {"DJANGO_SETTINGS_MODULE": "enamel.server.settings"} | os.environ
    ended = subprocess.run([sys.executable, "-m", "django", name, *words], env=environment)
    if ended.returncode:
        raise SystemExit(ended.returncode)


ARGUMENTS = {name: _declared(name) for name in COMMANDS}
