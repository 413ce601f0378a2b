"""Templates stay readable: no line so long that a change in it can't be seen, no tag over two lines."""

import re
from pathlib import Path

import pytest

BROKEN_TAG = re.compile(r"\{\{[^}\n]*\n|\{%[^%\n]*\n")
"""A tag that does not end on its line: Django shows it as text."""
ROOT = Path(__file__).parents[2] / "enamel"
LONGEST = 120


TEMPLATES = pytest.mark.parametrize(
    "path", sorted(ROOT.glob("*/templates/**/*.html")), ids=lambda path: path.name
)


@TEMPLATES
def test_no_line_is_longer_than_120_characters(path: Path) -> None:
    lines = path.read_text().splitlines()
    assert [number for number, line in enumerate(lines, 1) if len(line) > LONGEST] == []


@TEMPLATES
def test_every_tag_ends_on_its_line(path: Path) -> None:
    assert BROKEN_TAG.findall(path.read_text()) == []
