"""Addresses of the page that compares pictures."""

from enamel.core.geometry import Box, Size

LETTERS = "ABCDEF"
MOST_COMPARED = len(LETTERS)
"""Pictures that are compared at once."""


def middle_of(box: Box, size: Size) -> str:
    """Return the part of the bench's address that puts the middle of a box in the middle of the stage."""
    across, down = box.x + box.width / 2, box.y + box.height / 2
    return f"u={across / size.width:.5f}&v={down / size.width:.5f}"
