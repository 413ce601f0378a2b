"""Templates stay readable: no line so long that a change in it can't be seen."""

from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2] / "enamel"
LONGEST = 120


@pytest.mark.parametrize(
    "path", sorted(ROOT.glob("*/templates/**/*.html")), ids=lambda path: path.name
)
def test_no_line_is_longer_than_120_characters(path: Path) -> None:
    lines = path.read_text().splitlines()
    assert [number for number, line in enumerate(lines, 1) if len(line) > LONGEST] == []
