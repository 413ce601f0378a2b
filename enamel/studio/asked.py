"""Numbers in what was sent: whole ones, short enough to be meant."""


def whole_number(text: str | None, digits: int = 9) -> int | None:
    """The whole number that a text is; None when it is none, or has more digits than that."""
    return int(text) if text and text.isdecimal() and len(text) <= digits else None
