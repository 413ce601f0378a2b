"""Write parts of pages under docs/."""

from pathlib import Path


def put(page: Path, name: str, text: str) -> None:
    """Replace the part of a page between the marks of that name."""
    begin, end = f"<!-- {name} -->\n", f"\n<!-- /{name} -->"
    before, rest = page.read_text().split(begin)
    _, after = rest.split(end)
    page.write_text(f"{before}{begin}{text}{end}{after}")
