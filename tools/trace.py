"""Measure in Chromium what an artist waits for, and write it into docs/research/performance.md.

`python -m tools.trace comparing`: frames while two layers of 171 megapixels are moved and wiped, by
Chromium's own tracing; the first run makes the layers, which takes some minutes and 3 GB under var/.
`python -m tools.trace drawing`: frames while a mask is painted over such a layer.
`python -m tools.trace waiting`: from pressing "Make swatches" to the first tile and to the whole swatch.
Run `bin/start` first, then this with the environment's Python.
"""

import datetime
import json
import os
import statistics
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

import django
import numpy as np
import websocket
from selenium.webdriver.common.by import By
from selenium.webdriver.support.wait import WebDriverWait

from tools.chrome import VAR, address, start_chromium
from tools.pages import put

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.server.settings")
django.setup()

from django.core.files import File  # noqa: E402

from enamel.core.geometry import Box, Size  # noqa: E402
from enamel.core.imaging.canvas import WHITE, Canvas, filled  # noqa: E402
from enamel.core.upscaling import Enlarged, upscaler  # noqa: E402
from enamel.library import layers as store  # noqa: E402
from enamel.library import services as library  # noqa: E402
from enamel.library.models import Layer, Piece  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
PAGE = ROOT / "docs" / "research" / "performance.md"
TITLE = "The tea car, very large"
SIZE = Size(16000, 10667)
SECONDS = 5.0
EVENT_SECONDS = 1 / 120
"""Seconds between two movements of a fast mouse."""
FRAME_MS = 1000 / 60
WATCH = """
const done = arguments[0];
const cell = document.querySelector("[data-cell]:not([data-cell=base])");
let first = 0;
const look = () => {
  const image = cell.querySelector("img");
  if (!image) return;
  first ||= Date.now() - sessionStorage.begun;
  if (image.src.endsWith(".png")) done([first, Date.now() - sessionStorage.begun]);
};
new MutationObserver(look).observe(cell, { subtree: true, childList: true, attributes: true });
look();
"""
FILL = """
for (const [name, value] of Object.entries(arguments[0])) {
  document.getElementsByName(name)[0].value = value;
}
"""
PAINT = """
const done = arguments[0];
const mask = document.querySelector("[data-mask]");
const { left, top } = mask.getBoundingClientRect();
mask.setPointerCapture = () => {};
const send = (type, x, y) => mask.dispatchEvent(new PointerEvent(
  type, { clientX: left + x, clientY: top + y, button: 0, pointerId: 1, bubbles: true, pressure: 0.5 }));
const gaps = [];
let last = performance.now();
const step = (now) => {
  gaps.push(now - last);
  last = now;
  const place = gaps.length % 50;
  const [x, y] = [100 + place * 10, 100 + ((gaps.length * 7) % 450)];
  if (place === 0) { send("pointerup", x, y); send("pointerdown", 100, y); }
  for (const more of [0, 4, 8]) send("pointermove", x + more, y + more / 2);
  if (gaps.length < 300) requestAnimationFrame(step);
  else { send("pointerup", x, y); done(gaps.slice(1)); }
};
send("pointerdown", 100, 100);
requestAnimationFrame(step);
"""
"""Strokes of fifty points, three movements of the pointer for each frame; gives the gaps between frames."""
SHOWN = "Display::FrameDisplayed"
CATEGORIES = "viz,benchmark,devtools.timeline,disabled-by-default-devtools.timeline"


def large_piece() -> Piece:
    """Return a piece with two layers of 171 megapixels that differ in tone."""
    found = Piece.objects.filter(title=TITLE, deleted_at=None).first()
    if found:
        return found
    source = ROOT / "demo" / "pictures" / "tea-car.jpg"
    owner = Piece.objects.filter(deleted_at=None).earliest("created").owner
    with source.open("rb") as file:
        piece = library.import_picture(owner, File(file), "tea-car.jpg")
    Piece.objects.filter(pk=piece.pk).update(title=TITLE)
    store.prepare(piece.base)
    for gain in (1.0, 0.8):
        with store.canvas_of(piece.base) as base, tempfile.TemporaryDirectory(dir=VAR) as folder:
            lazy = Enlarged(base, SIZE, upscaler("lanczos"))

            def toned(block: Box, lazy: Enlarged = lazy, gain: float = gain) -> Any:
                return np.rint(np.minimum(lazy.read(block) * gain, WHITE)).astype(np.uint16)

            path = Path(folder) / "large.npy"
            canvas = filled(Canvas.create(path, Box.whole(SIZE), 3), toned, 1024)
            layer = store.add_layer(piece, canvas, kind=Layer.Kind.COAT, parent=piece.base,
                                    address=f"large {gain}")  # fmt: skip
            store.prepare(layer)
            print(f"layer {layer.size} ready", flush=True)
    return piece


class Traced:
    """Chromium with tracing."""

    def __init__(self) -> None:
        self.driver = start_chromium()
        self.driver.set_script_timeout(120)
        self.address = address()
        self.driver.get(self.address)
        self.driver.find_element(By.CSS_SELECTOR, "form[action*=demo] button").click()

    def open(self, path: str) -> float:
        """Open the bench; return the milliseconds until the first pixels of both pictures are on the
        canvas.
        """
        self.driver.get(f"{self.address}{path}")
        WebDriverWait(self.driver, 60).until(
            lambda driver: driver.find_elements(By.CSS_SELECTOR, "[data-complete]")
        )
        found: float = self.driver.execute_script(
            "return performance.getEntriesByName('pictures')[0].startTime"
        )
        return found

    def until(self, selector: str) -> None:
        """Wait for an element."""
        WebDriverWait(self.driver, 120, 0.25).until(
            lambda driver: driver.find_elements(By.CSS_SELECTOR, selector)
        )

    def frames(self, path: Callable[[float], tuple[float, float]]) -> list[float]:
        """Return the milliseconds between frames while the mouse is dragged along a path."""
        where = self.driver.capabilities["goog:chromeOptions"]["debuggerAddress"]
        browser = Wire(_json(f"http://{where}/json/version")["webSocketDebuggerUrl"])
        pages = [one for one in _json(f"http://{where}/json") if one["type"] == "page"]
        page = Wire(pages[0]["webSocketDebuggerUrl"])
        browser.ask("Tracing.start", transferMode="ReportEvents", categories=CATEGORIES)
        self._mouse(page, "mousePressed", *path(0))
        begun = time.perf_counter()
        while (now := time.perf_counter() - begun) < SECONDS:
            self._mouse(page, "mouseMoved", *path(now))
            time.sleep(max(0, EVENT_SECONDS - (time.perf_counter() - begun - now)))
        self._mouse(page, "mouseReleased", *path(SECONDS))
        browser.send("Tracing.end")
        shown = sorted(
            event["ts"] / 1000
            for message in browser.until("Tracing.tracingComplete")
            if message.get("method") == "Tracing.dataCollected"
            for event in message["params"]["value"]
            if event.get("name") == SHOWN
        )
        return [after - before for before, after in pairwise(shown)]

    def _mouse(self, page: "Wire", kind: str, x: float, y: float) -> None:
        page.send(
            "Input.dispatchMouseEvent", type=kind, x=x, y=y, button="left", buttons=1, clickCount=1
        )


class Wire:
    """A connection to Chromium's DevTools protocol, beside the driver's."""

    def __init__(self, address: str) -> None:
        self.socket = websocket.create_connection(address, suppress_origin=True)
        self.number = 0

    def send(self, method: str, **words: Any) -> int:
        """Send a command and do not wait for its answer."""
        self.number += 1
        self.socket.send(json.dumps({"id": self.number, "method": method, "params": words}))
        return self.number

    def ask(self, method: str, **words: Any) -> None:
        """Send a command and wait for its answer."""
        number = self.send(method, **words)
        while json.loads(self.socket.recv()).get("id") != number:
            pass

    def until(self, method: str) -> Iterator[dict[str, Any]]:
        """Yield messages up to one of that name."""
        while (message := json.loads(self.socket.recv())).get("method") != method:
            yield message


def _json(address: str) -> Any:
    with urllib.request.urlopen(address) as answer:
        return json.load(answer)


def row(words: str, gaps: list[float]) -> str:
    median, slow = statistics.median(gaps), statistics.quantiles(gaps, n=20)[-1]
    within = sum(gap <= 1.5 * FRAME_MS for gap in gaps) / len(gaps)
    rate = 1000 * len(gaps) / sum(gaps)
    return f"| {words} | {rate:.0f} per s | {median:.1f} ms | {slow:.1f} ms | {within:.0%} |"


def comparing(chrome: Traced) -> list[str]:
    """Measure the first paint, and frames with each way of comparing."""
    piece = large_piece()
    _, one, other = piece.layers.order_by("created")
    show = f"/pieces/{piece.pk}/compare/?show={one.pk},{other.pk}"
    firsts = [chrome.open(f"{show}&way=wipe") for _ in range(5)]
    lines = ["| two layers of 171 MP, 1280 × 800 | frames | median gap | 95 % under | within 25 ms |",
             "|---|---|---|---|---|"]  # fmt: skip

    def swept(now: float) -> tuple[float, float]:
        return 490 + 330 * np.sin(2 * now), 420 + 160 * np.sin(1.3 * now)

    def across(now: float) -> tuple[float, float]:
        return 490 + 330 * np.sin(2 * now), 420

    for words, view, path in (
        ("wiping, fit", "way=wipe", across),
        ("wiping, 100 %", "way=wipe&zoom=1", across),
        ("moving, side by side, fit", "way=side", swept),
        ("moving, side by side, 100 %", "way=side&zoom=1", swept),
        ("moving, wipe, 50 %", "way=wipe&zoom=0.5&x=0.9", swept),
        ("moving, difference, 50 %", "way=difference&zoom=0.5", swept),
    ):
        chrome.open(f"{show}&{view}")
        time.sleep(1)
        lines.append(row(words, chrome.frames(path)))
    middle, low, high = statistics.median(firsts), min(firsts), max(firsts)
    return [
        *lines,
        "",
        f"First pixels of both pictures {middle:.0f} ms after the page was asked for (median of five, "
        f"{low:.0f} to {high:.0f}).",
    ]


def waiting(chrome: Traced) -> list[str]:
    """Time ten single swatches of the stationmaster at 4×, each with another seed, started on the page."""
    source = ROOT / "demo" / "pictures" / "stationmaster.png"
    owner = Piece.objects.filter(deleted_at=None).earliest("created").owner
    with source.open("rb") as file:
        piece = library.import_picture(owner, File(file), "timed.png")
    store.prepare(piece.base)
    settings = {"factor": 4, "upscaler": "vitreous", "tile_width": 256, "tile_height": 256}
    first, whole = [], []
    fresh = int(time.time())  # so that there are no tiles of an earlier run
    for number in range(11):
        chrome.driver.get(f"{chrome.address}{piece.get_absolute_url()}?task=coat")
        fields = settings | {"seed": fresh + number, "window": "1268 1292 512 512"}
        chrome.driver.execute_script(FILL, fields)
        chrome.driver.execute_script(
            "sessionStorage.begun = Date.now(); document.querySelector('button[value=swatch]').click()"
        )
        chrome.until("[data-cell]:not([data-cell=base])")
        seen, made = chrome.driver.execute_async_script(WATCH)
        if number:  # the first one also loads the networks
            first.append(seen / 1000)
            whole.append(made / 1000)
    library.delete_pieces([piece])
    return [
        f"On the page, window and tiles of the first row: from pressing *Make swatches* to the first tile "
        f"{statistics.median(first):.1f} s ({min(first):.1f} to {max(first):.1f}), to the whole swatch "
        f"{statistics.median(whole):.1f} s ({min(whole):.1f} to {max(whole):.1f}), medians of ten."
    ]


def drawing(chrome: Traced) -> list[str]:
    """Measure frames while a mask is painted over a layer of 171 megapixels."""
    piece = large_piece()
    _, layer, _ = piece.layers.order_by("created")
    lines = ["| painting on a layer of 171 MP | frames | median gap | 95 % under | within 25 ms |",
             "|---|---|---|---|---|"]  # fmt: skip
    for words, zoom in (("fit", "fit"), ("100 %", "1")):
        chrome.driver.get(
            f"{chrome.address}{piece.get_absolute_url()}?layer={layer.pk}&task=touch-up"
        )
        chrome.until("[data-module~='bench'][data-open]")
        chrome.driver.find_element(By.CSS_SELECTOR, f"[data-zoom='{zoom}']").click()
        chrome.driver.find_element(By.CSS_SELECTOR, "[data-tool='brush']").click()
        time.sleep(1)
        lines.append(
            row(f"brush of 0.7 hardness, {words}", chrome.driver.execute_async_script(PAINT))
        )
    return lines


PARTS = {"comparing": comparing, "waiting": waiting, "drawing": drawing}


def main() -> None:
    for name in sys.argv[1:] or PARTS:
        chrome = Traced()
        lines = PARTS[name](chrome)
        chrome.driver.quit()
        lines += ["", f"Measured {datetime.datetime.now(datetime.UTC):%d %B %Y} on {os.cpu_count()} cores "
                  "without a graphics card, by `python -m tools.trace`."]  # fmt: skip
        print("\n".join(lines), flush=True)
        put(PAGE, name, "\n".join(lines))


if __name__ == "__main__":
    main()
