"""Writes constraints.txt, the versions and hashes of all packages: `python -m tools.lock [--upgrade]`.

Torch and what it brings for graphics cards are left to their pinned version: builds for processors and for
each kind of card have hashes of their own, and come from other indexes.
"""

import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
FILE = ROOT / "constraints.txt"
BY_DEVICE = re.compile(r"(torch|triton|nvidia-[\w-]+|cuda-[\w-]+)==")


def locked(*options: str) -> str:
    """Return the file's text, with the versions of today's file unless ``--upgrade`` is among the options."""
    command = [
        "uv", "pip", "compile", "pyproject.toml", "--all-extras", "--generate-hashes", "--no-annotate",
        "--no-header", "--python-version", "3.11", "--quiet", "--output-file", str(FILE), *options,
    ]  # fmt: skip
    subprocess.run(command, cwd=ROOT, check=True)
    packages = re.split(r"\n(?=\S)", FILE.read_text().rstrip("\n"))
    return "\n".join(package for package in packages if not BY_DEVICE.match(package)) + "\n"


if __name__ == "__main__":
    FILE.write_text(locked(*sys.argv[1:]))
