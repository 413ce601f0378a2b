"""Addresses of the page that compares pictures."""

from enamel.core.geometry import Box, Size

LETTERS = "ABCDEF"
MOST_COMPARED = len(LETTERS)
"""How many pictures can be compared at once."""


def middle_of(box: Box, size: Size) -> str:
    """Return query parameters by which the bench centres its view on a box."""
    across, down = box.x + box.width / 2, box.y + box.height / 2
    return f"u={across / size.width:.5f}&v={down / size.width:.5f}"
