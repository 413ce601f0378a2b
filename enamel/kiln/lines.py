"""Conversations with houses elsewhere: questions asked again when the line breaks, files that go on where
they stopped."""

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

import httpx

PART = 8_000_000
"""Bytes sent in one go; after a break it goes on behind the last that arrived."""
PATIENCE_SECONDS = 20.0
TRIES = 6
"""Breaks in a row after which it is given up."""
PAUSE_SECONDS = 0.5
AT_ONCE_SECONDS = 4.0
"""For so long a job stays with one errand; then others get their turn."""
BLOCK = 1 << 18


class Gone(Exception):
    """The other side does not answer, or broke off."""


class Line:
    """A line to a house, for one turn of an errand.

    Parameters
    ----------
    client : with the house's address, see `client`.
    who : what the house is called, as in "the shop".
    tell : told what is waited for, in words.
    """

    def __init__(self, client: httpx.Client, who: str, tell: Callable[[str], None]) -> None:
        self._client = client
        self._who = who
        self._tell = tell
        self._until = time.monotonic() + AT_ONCE_SECONDS

    @property
    def over(self) -> bool:
        """Whether this turn is over."""
        return time.monotonic() > self._until

    def ask(self, method: str, path: str, **given: Any) -> httpx.Response:
        """An answer, asked for again when the line breaks: only for questions that can be repeated.

        Raises
        ------
        Gone
        """
        for attempt in range(TRIES):
            try:
                return self._client.request(method, path, **given)
            except httpx.HTTPError:
                self._tell(f"{self._who.capitalize()} does not answer; asked again.")
                time.sleep(PAUSE_SECONDS * (attempt + 1))
        raise Gone(f"{self._who.capitalize()} does not answer.")

    def send(
        self, path: str, file: IO[bytes], total: int, arrived: Callable[[], int | None]
    ) -> bool:
        """Send a file in parts; whether all of it is there by the end of this turn.

        Parameters
        ----------
        arrived : asks how many bytes are there; None when all of it is.

        Raises
        ------
        Gone
            Also when it did not arrive whole.
        """
        breaks = 0
        while (start := arrived()) is not None:
            if self.over:
                return False
            file.seek(start)
            part = file.read(PART)
            span = f"bytes {start}-{start + len(part) - 1}/{total}"
            try:
                answer = self._client.put(
                    path, content=_blocks(part),
                    headers={"Content-Length": str(len(part)), "Content-Range": span},
                )  # fmt: skip
            except httpx.HTTPError:
                breaks += 1
                self._after_break(breaks)
                continue
            breaks = 0
            if answer.status_code == httpx.codes.UNPROCESSABLE_ENTITY:
                raise Gone(f"The file did not arrive whole: {reason(answer)}")
        return True

    def fetch(self, path: str, into: Path, total: int, hear: Callable[[int], None]) -> bool:
        """Fetch a file behind what is there of it; whether all of it is there by the end of this turn.

        Parameters
        ----------
        hear : told how many bytes are there.

        Raises
        ------
        Gone
        """
        breaks = 0
        while (start := into.stat().st_size if into.exists() else 0) < total:
            if self.over:
                return False
            hear(start)
            try:
                with (
                    self._client.stream(
                        "GET", path, headers={"Range": f"bytes={start}-"}
                    ) as answer,
                    into.open("ab") as file,
                ):
                    if answer.status_code != httpx.codes.PARTIAL_CONTENT:
                        answer.read()
                        raise Gone(
                            f"{self._who.capitalize()} does not hand it out: {reason(answer)}"
                        )
                    for block in answer.iter_bytes(BLOCK):
                        file.write(block)
                        breaks = 0
                        if self.over:
                            break
            except httpx.HTTPError:
                breaks += 1
                self._after_break(breaks)
        return True

    def _after_break(self, breaks: int) -> None:
        if breaks > TRIES:
            raise Gone(f"The line to {self._who} broke again and again.")
        self._tell("The line broke; it goes on behind what arrived.")
        time.sleep(PAUSE_SECONDS * breaks)


def client(address: str, *, timeout: float = PATIENCE_SECONDS, key: str = "") -> httpx.Client:
    """Speaks to the house at an address, with a key where it wants one."""
    headers = {"Authorization": f"Bearer {key}"} if key else {}
    return httpx.Client(base_url=address, timeout=timeout, trust_env=False, headers=headers)


def seconds_to_wait(answer: httpx.Response) -> float:
    """What a Retry-After asks for, between half a second and half a minute."""
    try:
        return min(30.0, max(0.5, float(answer.headers.get("Retry-After") or 2)))
    except ValueError:
        return 2.0


def reason(answer: httpx.Response) -> str:
    """Why something was refused, in the house's words."""
    try:
        return str(answer.json()["reason"])
    except (ValueError, KeyError, TypeError):
        return "it said no reason"


def _blocks(part: bytes) -> Iterator[bytes]:
    for start in range(0, len(part), BLOCK):
        yield part[start : start + BLOCK]
