"""HTTP with an external service: every answer is bounded in bytes and time, and checked against its type.

There are three ways to get no answer, and every caller tells them apart. `Rejected` is certain: the
service understood the request and said no. `Retryable` is certain too: nothing was done, because the
service could not be reached or said that it is busy. After `Unknown` nobody knows whether it was done, so
the request is repeated with the same key until it is known.
"""

import asyncio
import json
import ssl
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache
from http import HTTPStatus
from pathlib import Path
from typing import Any, TypeVar

import httpx
from pydantic import BaseModel, ValidationError

ANSWER_BYTES = 1_000_000
"""Most bytes of an answer that is read as JSON."""
ANSWER_SECONDS = 20.0
"""Longest that an answer may take."""
CONNECT_SECONDS = 5.0
LEAST_RATE = 20_000
"""Least rate of parts of files, in bytes a second, beyond `ANSWER_SECONDS`."""
REASON_LENGTH = 300
"""Longest reason that is shown, in letters."""
LONGEST_PAUSE = 300.0
BLOCK = 1 << 18
Form = TypeVar("Form", bound=BaseModel)


class ServiceError(Exception):
    """A request to a service without the expected answer."""


class Rejected(ServiceError):
    """The service refused the request: it was not carried out."""

    def __init__(self, message: str, status: int) -> None:
        super().__init__(message)
        self.status = status


class Retryable(ServiceError):
    """Nothing was done; the request may be repeated after ``pause`` seconds."""

    def __init__(self, message: str, pause: float) -> None:
        super().__init__(message)
        self.pause = pause


class Unknown(ServiceError):
    """It is not known whether the request was carried out."""


class ServiceClient:
    """Requests to one service.

    Parameters
    ----------
    address : address, such as ``http://127.0.0.1:8760``.
    name : its name in messages, such as "the print shop".
    key : sent as a bearer token, where the service wants one.
    """

    def __init__(self, address: str, name: str, key: str = "") -> None:
        self._address = address
        self._name = name
        self._headers = {"Authorization": f"Bearer {key}"} if key else {}

    def ask(
        self,
        method: str,
        path: str,
        form: type[Form],
        *,
        body: Any = None,
        key: str = "",
    ) -> Form:
        """Return a service's answer.

        Parameters
        ----------
        form : type of the answer.
        body : sent as JSON.
        key : identifies repetitions of the same request (``Idempotency-Key``).

        Raises
        ------
        Rejected, Retryable, Unknown
        """
        headers = {"Idempotency-Key": key} if key else {}
        content = None
        if body is not None:
            headers["Content-Type"], content = "application/json", json.dumps(body).encode()
        found = self._run(self._bytes(method, path, content, headers), ANSWER_SECONDS)
        try:
            return form.model_validate_json(found)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"]) or "the whole answer"
            raise Unknown(
                f"{self._called} gave an answer that is not understood ({where})."
            ) from error

    def content(self, path: str, most: int) -> bytes:
        """Return a small file of the service, of at most that many bytes.

        Raises
        ------
        Rejected, Retryable, Unknown
        """
        seconds = ANSWER_SECONDS + most / LEAST_RATE
        return self._run(self._bytes("GET", path, None, {}, most), seconds)

    def send_part(self, path: str, part: bytes, first: int, total: int) -> None:
        """Send part of a file, beginning at byte ``first``.

        Raises
        ------
        Rejected, Retryable, Unknown
        """
        headers = {
            "Content-Length": str(len(part)),
            "Content-Range": f"bytes {first}-{first + len(part) - 1}/{total}",
        }
        seconds = ANSWER_SECONDS + len(part) / LEAST_RATE
        self._run(self._bytes("PUT", path, part, headers), seconds)

    def fetch(self, path: str, into: Path, total: int, seconds: float) -> bool:
        """Download the missing rest of a file of ``total`` bytes; return whether it is complete.

        Parameters
        ----------
        seconds : ends after this time with what arrived; the next call goes on from there.

        Raises
        ------
        Rejected, Retryable, Unknown
        """
        return self._run(self._append(path, into, total, seconds), 2 * seconds + 10)

    # ------------------------------------------------------------------------------------------

    @property
    def _called(self) -> str:
        return self._name[:1].upper() + self._name[1:]

    def _run(self, exchange: Any, seconds: float) -> Any:
        """Carry out a request within a total time, however slowly the answer comes."""

        async def bounded() -> Any:
            async with asyncio.timeout(seconds):
                return await exchange

        try:
            return asyncio.run(bounded())
        except (httpx.ConnectError, httpx.ConnectTimeout) as error:
            raise Retryable(f"{self._called} does not answer.", 2.0) from error
        except TimeoutError as error:
            raise Unknown(f"{self._called} did not answer in time.") from error
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError) as error:
            raise Unknown(f"The connection to {self._name} broke off.") from error

    @asynccontextmanager
    async def _answer(
        self, method: str, path: str, content: bytes | None, headers: dict[str, str]
    ) -> AsyncIterator[httpx.Response]:
        """Provide a successful answer, its body not read yet."""
        timeout = httpx.Timeout(ANSWER_SECONDS, connect=CONNECT_SECONDS)
        async with (
            httpx.AsyncClient(
                base_url=self._address, timeout=timeout, trust_env=False, verify=_certificates(),
                headers=self._headers | {"Accept-Encoding": "identity"},
            ) as client,
            client.stream(method, path, content=content, headers=headers) as answer,
        ):  # fmt: skip
            if not answer.is_success:
                raise await self._refusal(answer)
            yield answer

    async def _bytes(
        self, method: str, path: str, content: bytes | None, headers: dict[str, str],
        most: int = ANSWER_BYTES,
    ) -> bytes:  # fmt: skip
        async with self._answer(method, path, content, headers) as answer:
            found = bytearray()
            async for block in answer.aiter_raw(BLOCK):
                found += block
                if len(found) > most:
                    raise Unknown(f"{self._called} gave an answer that is too long.")
            return bytes(found)

    async def _append(self, path: str, into: Path, total: int, seconds: float) -> bool:
        here = into.stat().st_size if into.exists() else 0
        if here > total:
            raise Unknown("More came than the file has.")
        if here == total:
            return True
        end = asyncio.get_running_loop().time() + seconds
        async with self._answer("GET", path, None, {"Range": f"bytes={here}-"}) as answer:
            span = answer.headers.get("Content-Range", "")
            if answer.status_code != HTTPStatus.PARTIAL_CONTENT or not span.startswith(
                f"bytes {here}-"
            ):
                raise Unknown(f"{self._called} did not go on at byte {here} of the file.")
            with into.open("ab") as file:
                async for block in answer.aiter_raw(BLOCK):
                    if here + len(block) > total:
                        raise Unknown(f"{self._called} sent more than the file has.")
                    here += file.write(block)
                    if asyncio.get_running_loop().time() > end:
                        break
        return here == total

    async def _refusal(self, answer: httpx.Response) -> ServiceError:
        """Return the error that an unsuccessful answer means."""
        reason = await _reason(answer)
        status = answer.status_code
        busy = status in (HTTPStatus.SERVICE_UNAVAILABLE, HTTPStatus.TOO_MANY_REQUESTS)
        if busy and "Retry-After" in answer.headers:
            pause = _seconds(answer.headers["Retry-After"])
            return Retryable(f"{self._called} is busy; it is asked again in {pause:.0f} s.", pause)
        if 400 <= status < 500 and status not in (HTTPStatus.REQUEST_TIMEOUT, HTTPStatus.CONFLICT):
            return Rejected(reason or f"it answered {status}.", status)
        return Unknown(f"{self._called} answered {status}{f': {reason}' if reason else ''}.")


@lru_cache(maxsize=1)
def _certificates() -> ssl.SSLContext:
    """Return the trusted certificates, read once: reading takes longer than most requests."""
    return ssl.create_default_context()


async def _reason(answer: httpx.Response) -> str:
    """Return the service's reason for a refusal, cut to what a page can show."""
    found = bytearray()
    async for block in answer.aiter_raw(BLOCK):
        found += block
        if len(found) > ANSWER_BYTES:
            break
    try:
        reason = json.loads(found)["reason"]
    except (ValueError, KeyError, TypeError, RecursionError):
        return ""
    if not isinstance(reason, str):
        return ""
    reason = " ".join(reason.replace("\0", "").split())
    return reason if len(reason) <= REASON_LENGTH else f"{reason[: REASON_LENGTH - 1]}…"


def _seconds(retry_after: str) -> float:
    """Return the seconds of a Retry-After, between half a second and half a minute."""
    try:
        wanted = float(retry_after)
    except ValueError:
        return 2.0
    return min(30.0, max(0.5, wanted)) if wanted == wanted else 2.0


def pause_after(seconds_without_progress: float) -> float:
    """Return the pause before the next try, given how long a service has not answered."""
    return min(LONGEST_PAUSE, max(2.0, seconds_without_progress / 4))
