"""Let fifty artists browse a running Enamel for ten minutes, beside a firing and swatches; `tools.bench load`
writes their times, and whether Enamel's processes grow.

Every artist signs in to the demo, opens the list of pieces, a piece, tiles of its picture, the comparing
bench and the sheet of coats, and looks at each for a second or three.
"""

import http.client
import json
import random
import re
import statistics
import threading
import time
import urllib.parse
from collections import defaultdict
from contextlib import suppress

import psutil

LOOKS = (1.0, 3.0)
"""Seconds between two pages."""
ARRIVING = 10.0
"""Seconds within which all artists begin: people don't open a page in the same tenth of a second."""
TILES = 12
"""Tiles on a screen."""
SAMPLED_EVERY = 5.0
"""Seconds between two measurements of memory."""
TOKEN = re.compile(r'name="csrfmiddlewaretoken" value="([^"]+)"')


class Artist:
    """One browser: cookies, a persistent connection, and the times of its pages."""

    def __init__(self, address: str, seed: int) -> None:
        self.address = address
        self.random = random.Random(seed)
        self.line = http.client.HTTPConnection(urllib.parse.urlsplit(address).netloc, timeout=60)
        self.cookies: dict[str, str] = {}
        self.took: dict[str, list[float]] = defaultdict(list)
        self.errors: list[str] = []

    def get(self, path: str, kind: str, form: dict[str, str] | None = None) -> str:
        """Request an address, and record its time or error; return a page's text, nothing for an image."""
        headers = {"Referer": self.address}
        headers["Cookie"] = "; ".join(f"{name}={value}" for name, value in self.cookies.items())
        body = urllib.parse.urlencode(form) if form else None
        if body is not None:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
        began = time.perf_counter()
        try:
            self.line.request("POST" if form else "GET", path, body, headers)
            answer = self.line.getresponse()
            read = answer.read()
        except (OSError, http.client.HTTPException) as error:
            self.errors.append(f"{kind}: {error!r}")
            self.line.close()
            return ""
        for given in answer.headers.get_all("Set-Cookie", []):
            name, _, value = given.split(";")[0].partition("=")
            self.cookies[name] = value
        if answer.status in (301, 302):
            return self.get(answer.headers["Location"], kind)
        if answer.status >= 400:
            self.errors.append(f"{kind}: {answer.status}")
            return ""
        self.took[kind].append(time.perf_counter() - began)
        return read.decode() if answer.headers.get_content_maintype() == "text" else ""

    def sign_in(self) -> list[str]:
        """Sign in, and return the addresses of the pieces."""
        page = self.get("/sign-in/", "sign in")
        self.get("/sign-in/demo/", "sign in", {"csrfmiddlewaretoken": TOKEN.findall(page)[0]})
        return sorted(set(re.findall(r'href="(/pieces/[0-9a-f-]{36}/)', self.get("/", "pieces"))))

    def look(self) -> None:
        time.sleep(self.random.uniform(*LOOKS))

    def browse(self, until: float) -> None:
        time.sleep(self.random.uniform(0, ARRIVING))
        pieces = self.sign_in()
        while time.perf_counter() < until:
            piece = self.random.choice(pieces)
            page = self.get(piece, "a piece")
            shown = re.search(r"data-layer='([^']+)'", page)
            if shown:
                self.tiles(json.loads(shown[1].replace("&quot;", '"')))
            self.look()
            self.get(
                piece + self.random.choice(["?task=print", "?task=file", "?task=base"]), "a piece"
            )
            self.look()
            self.get(piece + "compare/", "comparing bench")
            self.look()
            self.get("/", "pieces")
            self.look()

    def tiles(self, layer: dict[str, int | str]) -> None:
        """Request a screen of tiles of the finest level."""
        width, height, side = (int(layer[name]) for name in ("width", "height", "tileSize"))
        level = (max(width, height) - 1).bit_length()
        across, down = -(-width // side), -(-height // side)
        for number in range(min(TILES, across * down)):
            column, row = number % across, number // across
            self.get(f"{layer['url']}{level}/{column}_{row}.png", "a tile")


def fire_something(address: str) -> None:
    """Fire the first piece that is not being fired, so that the kiln is busy."""
    artist = Artist(address, 0)
    for piece in artist.sign_in():
        page = artist.get(piece, "a piece")
        form = re.search(r'<form[^>]*data-module="[^"]*settings.*?</form>', page, re.DOTALL)
        if form is None:
            continue
        fields = dict(re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', form[0]))
        for name, options in re.findall(
            r'<select name="([^"]+)".*?>(.*?)</select>', form[0], re.DOTALL
        ):
            chosen = re.search(r'value="([^"]*)" selected', options)
            fields[name] = chosen[1] if chosen else ""
        action = re.search(r'action="([^"]+)"', form[0])
        artist.get(action[1] if action else piece, "fire", fields | {"do": "fire-all"})
        return


def make_swatches(address: str) -> None:
    """Submit a sheet of nine swatches of the first piece."""
    artist = Artist(address, 0)
    piece = artist.sign_in()[0].rstrip("/").split("/")[-1]
    page = artist.get("/scripts/", "token")
    form = {"csrfmiddlewaretoken": TOKEN.findall(page)[0], "name": "load", "scopes": "fire"}
    token = re.findall(r'value="(en_[^"]+)"', artist.get("/scripts/", "token", form))[0]
    sheet = {
        "window": [0, 0, 384, 384],
        "vary": [
            {"setting": "strength", "values": "0.2, 0.3, 0.4"},
            {"setting": "seed", "values": "1, 2, 3"},
        ],
    }
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    artist.line.request("POST", f"/api/v2/pieces/{piece}/sheets", json.dumps(sheet), headers)
    answer = artist.line.getresponse()
    if answer.status != 201:
        raise RuntimeError(f"the swatches were refused: {answer.read().decode()[:300]}")


class MemoryMeter(threading.Thread):
    """Samples the memory of a process and all that it started: private and its part of what is shared."""

    def __init__(self, process: int) -> None:
        super().__init__(daemon=True)
        self.process = psutil.Process(process)
        self.samples: list[tuple[float, dict[str, float]]] = []
        self.ended = threading.Event()

    def run(self) -> None:
        while not self.ended.wait(SAMPLED_EVERY):
            self.samples.append((time.perf_counter(), self._now()))

    def _now(self) -> dict[str, float]:
        """Return MB of web servers and of workers."""
        found: dict[str, float] = defaultdict(float)
        for one in self.process.children(recursive=True):
            with suppress(psutil.Error):
                web = any("serve" in part for part in one.cmdline())
                found["web" if web else "workers"] += one.memory_full_info().pss / 1e6
        return found

    def growth(self, of: str, since: float) -> tuple[float, float]:
        """Return the medians, in MB, of the first and the second half of the time since then."""
        times = [time for time, _ in self.samples if time >= since]
        middle = statistics.median(times)
        values = [(time, found[of]) for time, found in self.samples if time >= since]
        return (
            statistics.median(value for time, value in values if time < middle),
            statistics.median(value for time, value in values if time >= middle),
        )


def table(artists: list[Artist], seconds: float) -> str:
    """Return the table for the page."""
    took: dict[str, list[float]] = defaultdict(list)
    for artist in artists:
        for kind, times in artist.took.items():
            took[kind] += times
    errors = [error for artist in artists for error in artist.errors]
    lines = ["| page | asked for | median | p95 |", "|---|---|---|---|"]
    for kind in ("pieces", "a piece", "a tile", "comparing bench"):
        times = sorted(took[kind])
        if times:
            late = times[min(len(times) - 1, int(0.95 * len(times)))]
            lines.append(
                f"| {kind} | {len(times)} | {1000 * statistics.median(times):.0f} ms | {1000 * late:.0f} ms |"
            )
    lines += [
        "",
        f"{len(artists)} artists for {seconds:.0f} s, from the same cores; {len(errors)} errors.",
    ]
    for error in errors[:5]:
        print(error)
    return "\n".join(lines)


def load(address: str, supervisor: int, count: int = 50, seconds: float = 600) -> str:
    """Let a number of artists browse at an address, and return the tables of times and of memory.

    ``supervisor`` is the process that started Enamel's processes.
    """
    fire_something(address)
    make_swatches(address)
    meter = MemoryMeter(supervisor)
    meter.start()
    artists = [Artist(address, number) for number in range(count)]
    began = time.perf_counter()
    until = began + seconds
    threads = [threading.Thread(target=artist.browse, args=(until,)) for artist in artists]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    meter.ended.set()
    lines = [table(artists, seconds), ""]
    lines += ["| memory, medians | third quarter | fourth quarter | growth |", "|---|---|---|---|"]
    for of, name in (("web", "web servers"), ("workers", "workers")):
        before, after = meter.growth(of, began + seconds / 2)
        change = 100 * (after / before - 1)
        lines.append(f"| {name} | {before:.0f} MB | {after:.0f} MB | {change:+.1f} % |")
    return "\n".join(lines)
