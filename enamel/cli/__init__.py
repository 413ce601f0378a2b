"""The command `enamel`: the engine without the web application, this installation, and remote ones.

A command's module is imported when that command is run, so that `enamel --help` is quick.
"""

import argparse
import os
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module

from enamel.core.errors import Refusal, Stopped

__all__ = ["COMMANDS", "Command", "main", "parser"]

REFUSED, INTERRUPTED, UNREAD = 2, 130, 141
"""Exit codes beside 0: as argparse's, and as shells report SIGINT and SIGPIPE."""


@dataclass(frozen=True, slots=True)
class Command:
    """A command, and the module whose ``ARGUMENTS`` declares its arguments."""

    name: str
    help: str
    module: str


COMMANDS = (
    Command("fire", "run a schedule on a picture", "enamel.cli.firing"),
    Command("upscale", "enlarge only", "enamel.cli.firing"),
    Command("batch", "take every picture of a folder through one schedule", "enamel.cli.batch"),
    Command("touch-up", "refine a masked part again", "enamel.cli.touch_up"),
    Command("inlay", "set one picture into another", "enamel.cli.touch_up"),
    Command("faces", "list the faces of a picture", "enamel.cli.touch_up"),
    Command("finish", "tone, colour, sharpening, noise, grain", "enamel.cli.finishing"),
    Command("print", "write a print file: profile, bleed, paper, kind", "enamel.cli.printing"),
    Command("check", "measure a result against its base", "enamel.cli.firing"),
    Command("plan", "propose the coats to a size", "enamel.cli.firing"),
    Command("models", "list upscalers and refiners, or take one in", "enamel.cli.firing"),
    Command("schema", "print the JSON Schema of schedule files", "enamel.cli.firing"),
    Command("backup", "back this installation up into a folder", "enamel.cli.installation"),
    Command("restore", "restore a backup into a new installation", "enamel.cli.installation"),
    Command("verify", "compare stored files with their hashes", "enamel.cli.installation"),
    Command("doctor", "say what is wrong with this installation", "enamel.cli.installation"),
    Command(
        "export-piece", "write a piece with all its layers into a file", "enamel.cli.installation"
    ),
    Command("import-piece", "import a piece from such a file", "enamel.cli.installation"),
    Command("remote", "ask an Enamel that runs elsewhere", "enamel.cli.remote.command"),
)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; return its exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    chosen = parser(words).parse_args(words)
    try:
        chosen.run(chosen)
        sys.stdout.flush()
    except Refusal as refusal:
        print(f"enamel: {refusal}", file=sys.stderr)
        return REFUSED
    except (KeyboardInterrupt, Stopped):
        print("enamel: stopped. Finished tiles are kept when --work is given.", file=sys.stderr)
        return INTERRUPTED
    except BrokenPipeError:
        # the reader of the output has closed it; buffered output is discarded
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return UNREAD
    return 0


def parser(words: Sequence[str] = ()) -> argparse.ArgumentParser:
    """Return the parser, with the arguments of the command named."""
    top = argparse.ArgumentParser(prog="enamel", description=(__doc__ or "").split("\n")[0])
    added = top.add_subparsers(required=True, metavar="COMMAND")
    asked = next((word for word in words if not word.startswith("-")), None)
    for command in COMMANDS:
        one = added.add_parser(command.name, help=command.help)
        if command.name == asked:
            import_module(command.module).ARGUMENTS[command.name](one)
    return top
