"""Client of Enamel's API."""

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import httpx

from enamel.core.errors import Refusal
from enamel.core.files import whole_file

PATIENCE_SECONDS = 60.0
PAUSE_SECONDS = 1.0
TRIES = 5
"""How often a reading request is repeated when the connection breaks. Changing requests are sent once."""
Form = dict[str, Any]


class Client:
    """A running Enamel.

    Parameters
    ----------
    address : such as ``http://127.0.0.1:8750``.
    token : created on its page *Scripts*.
    on_progress : called with the progress in words.
    """

    def __init__(
        self, address: str, token: str, on_progress: Callable[[str], None] = lambda words: None
    ) -> None:
        self._client = httpx.Client(
            base_url=f"{address.rstrip('/')}/api/v2/", timeout=PATIENCE_SECONDS, trust_env=False,
            headers={"Authorization": f"Bearer {token}"},
        )  # fmt: skip
        self._address = address
        self._on_progress = on_progress

    def __enter__(self) -> "Client":
        return self

    def __exit__(self, *given: object) -> None:
        self._client.close()

    def pieces(self, words: str, count: int) -> list[Form]:
        """Return the newest pieces in which all words occur."""
        found: list[Form] = self._ask("GET", "pieces", params={"words": words, "count": count})[
            "pieces"
        ]
        return found

    def bring(self, path: Path) -> Form:
        """Import a picture file and return its piece; waits while a large one is read."""
        if not path.is_file():
            raise Refusal(f"There is no file {path}.")
        with path.open("rb") as file:
            came = self._ask("POST", "pieces", files={"file": (path.name, file)})
        if "base" in came:
            return came
        done = self._until(
            f"uploads/{came['id']}", lambda one: one["piece"] or one["error"],
            lambda one: f"{path.name}: {one['progress']:.0%} read",
        )  # fmt: skip
        if done["error"]:
            raise Refusal(f"{path.name}: {done['error']}")
        return self._ask("GET", f"pieces/{done['piece']}")

    def fire(self, piece: str, schedule: Any = None, layer: str | None = None) -> Form:
        """Submit a firing of a schedule, or of the piece's current one."""
        wanted = {"schedule": schedule, "layer": layer}
        return self._ask("POST", f"pieces/{piece}/firings", json=wanted)

    def fired(self, firing: Form) -> Form:
        """Wait until a firing has ended, and return it."""
        done = self._until(
            f"firings/{firing['id']}", lambda one: one["state"] not in ("waiting", "running"),
            lambda one: f"{one['state']}: {one['done']} of {one['total']} tiles",
        )  # fmt: skip
        if done["state"] != "done":
            raise Refusal(f"The firing is {done['state']}. {done['error']}".strip())
        return done

    def swatches(self, piece: str, wanted: Form) -> Form:
        """Submit a sheet of swatches, and return it once all are made."""
        sheet = self._ask("POST", f"pieces/{piece}/sheets", json=wanted)
        return self._until(
            f"sheets/{sheet['id']}",
            lambda one: all(
                swatch["state"] not in ("waiting", "running") for swatch in one["swatches"]
            ),
            lambda one: (
                f"{sum(swatch['state'] == 'done' for swatch in one['swatches'])} of "
                f"{len(one['swatches'])} swatches"
            ),
        )  # fmt: skip

    def checks(self, layer: str) -> Form:
        """Return the checks of a layer, once it is checked."""
        path = f"layers/{layer}/checks"
        return self._until(path, lambda one: one["ready"], lambda one: "being checked")

    def compare(self, layers: Sequence[str]) -> list[Form]:
        """Return the measures of several layers."""
        found: list[Form] = self._ask("POST", "compare", json={"layers": list(layers)})
        return found

    def take(self, layer: str, into: Path, settings: Form) -> None:
        """Submit a print file of a layer, and download it."""
        made = self._ask("POST", f"layers/{layer}/files", json=settings)
        done = self._until(
            f"files/{made['id']}", lambda one: one["state"] in ("done", "failed"),
            lambda one: f"{one['name']}: {one['progress']:.0%} written",
        )  # fmt: skip
        if done["state"] == "failed":
            raise Refusal(done["error"])
        self.download(f"files/{made['id']}/content", into)

    def download(self, path: str, into: Path) -> None:
        """Download from an address of the API into a file, which is complete or not there."""
        with self._client.stream("GET", path) as answer, whole_file(into) as partial:
            if answer.is_error:
                answer.read()
                raise Refusal(_message_of(answer))
            with partial.open("wb") as file:
                for block in answer.iter_bytes():
                    file.write(block)

    def batch(self, wanted: Form) -> Form:
        """Start a batch."""
        return self._ask("POST", "batches", json=wanted)

    def batch_done(self, batch: Form) -> Form:
        """Wait until a batch has ended, and return it."""
        return self._until(
            f"batches/{batch['id']}", lambda one: one["ended"],
            lambda one: (
                f"{sum(item['state'] == 'done' for item in one['items'])} of {len(one['items'])} done"
            ),
        )  # fmt: skip

    # requests ---------------------------------------------------------------------------------

    def _until(self, path: str, done: Callable[[Form], Any], words: Callable[[Form], str]) -> Form:
        """Request an address until the answer says that it is done."""
        while True:
            found: Form = self._ask("GET", path)
            if done(found):
                return found
            self._on_progress(words(found))
            time.sleep(PAUSE_SECONDS)

    def _ask(self, method: str, path: str, **given: Any) -> Any:
        for attempt in range(1, TRIES + 1):
            try:
                answer = self._client.request(method, path, **given)
            except httpx.HTTPError as error:
                if method != "GET" or attempt == TRIES:
                    raise Refusal(
                        f"There is no Enamel at {self._address} ({type(error).__name__}). Is it running, "
                        "and is the address right?"
                    ) from None
                time.sleep(PAUSE_SECONDS)
                continue
            if answer.status_code == httpx.codes.TOO_MANY_REQUESTS and attempt < TRIES:
                time.sleep(float(answer.headers.get("Retry-After", 1)))
                continue
            if answer.is_error:
                raise Refusal(_message_of(answer))
            return answer.json()
        raise Refusal("Asked too often.")


def _message_of(answer: httpx.Response) -> str:
    """Return the message of a refusal."""
    try:
        problem = answer.json()
        return (
            f"{problem['field']}: {problem['error']}"
            if problem.get("field")
            else str(problem["error"])
        )
    except (ValueError, KeyError, TypeError, AttributeError):
        return f"Enamel answered {answer.status_code} and no reason."
