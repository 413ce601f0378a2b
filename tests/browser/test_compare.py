"""Several pictures together in a real browser: every way by its pixels, keys, findings, the address."""

from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from tests.browser.conftest import Browser
from tests.layers import enlarged, layer_of
from tests.pictures import whole

pytestmark = pytest.mark.django_db(transaction=True)

STATE = """
const at = new URLSearchParams(location.search);
return Object.fromEntries(at);
"""


class Bench:
    """The comparing bench with a base, a layer of half its brightness and one with a fault."""

    def __init__(self, browser: Browser, piece: Piece, dark: Layer, faulty: Layer) -> None:
        self.browser, self.piece, self.dark, self.faulty = browser, piece, dark, faulty

    def open(self, *layers: Layer, **more: object) -> None:
        show = ",".join(str(layer.pk) for layer in layers)
        words = "".join(f"&{name}={value}" for name, value in more.items())
        self.browser.open(f"/pieces/{self.piece.pk}/compare/?show={show}{words}")
        self.settle()

    def settle(self) -> None:
        self.browser.find("[data-module~='compare'][data-open][data-complete]")
        self.browser.run(
            "return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
        )

    def press(self, keys: str) -> None:
        self.browser.find("[data-canvas]").send_keys(keys)
        self.settle()

    def size(self) -> tuple[int, int]:
        width, height = self.browser.run(
            "const c = document.querySelector('[data-canvas]'); return [c.width, c.height]"
        )
        return int(width), int(height)

    def pixel(self, x: float, y: float) -> list[int]:
        """Colour on the canvas at a share of its width and height."""
        found: list[int] = self.browser.run(
            "const c = document.querySelector('[data-canvas]');"
            "return [...c.getContext('2d').getImageData("
            "Math.round(c.width * arguments[0]), Math.round(c.height * arguments[1]), 1, 1"
            ").data].slice(0, 3)",
            x, y,
        )  # fmt: skip
        return found

    def state(self) -> dict[str, str]:
        self.browser.run("return new Promise((done) => setTimeout(done, 250))")
        found: dict[str, str] = self.browser.run(STATE)
        return found


FLAT = (200, 120, 60)


@pytest.fixture
def bench(signed_in: Browser, tmp_path: Path) -> Bench:
    picture = np.zeros((240, 320, 3), np.uint8)
    picture[:] = FLAT
    rng = np.random.default_rng(3)
    picture[60:180, 30:90] = rng.integers(60, 190, (120, 60, 1))
    PIL.Image.fromarray(picture).save(tmp_path / "plate.png")
    piece = signed_in.bring(tmp_path / "plate.png")
    with canvas_of(piece.base) as canvas:
        samples = enlarged(whole(canvas))
    dark = layer_of(piece, samples // 2, tmp_path, checked=False, strength=0.25, seed=7)
    faulty = samples.copy()
    faulty[300:360, 420:500] = samples[200:260, 80:160]
    faulty[60:140, 440:560] = (np.array([60, 120, 200]) * 257).astype(np.uint16)
    other = layer_of(piece, faulty, tmp_path, strength=0.35, seed=19)
    return Bench(signed_in, piece, dark, other)


def near(one: list[int], other: tuple[float, ...], within: int = 3) -> bool:
    return max(abs(a - b) for a, b in zip(one, other, strict=True)) <= within


HALF = (100, 60, 30)
PLACE = 0.62, 0.62
"""A flat place of the picture when it fits the stage."""


def test_each_way_of_looking_shows_what_it_says(bench: Bench) -> None:
    browser, base = bench.browser, bench.piece.base
    bench.open(base, bench.dark)
    assert browser.barriers() == []

    # wipe: base left of the line, the layer right of it; the line moves and turns by keys
    assert near(bench.pixel(0.45, 0.8), FLAT)
    assert near(bench.pixel(0.55, 0.8), HALF)
    line = browser.find("[data-line]")
    line.send_keys(Keys.ARROW_RIGHT * 4)
    bench.settle()
    assert near(bench.pixel(0.55, 0.8), FLAT)
    for _ in range(18):
        line.send_keys(Keys.SHIFT + Keys.ARROW_RIGHT)
    assert bench.state()["angle"] == "-90"
    bench.settle()
    assert near(bench.pixel(0.62, 0.4), FLAT) != near(bench.pixel(0.62, 0.4), HALF)
    assert near(bench.pixel(0.62, 0.3), HALF) == near(bench.pixel(0.4, 0.3), HALF)
    assert near(bench.pixel(0.62, 0.8), FLAT) != near(bench.pixel(0.62, 0.3), FLAT)

    bench.press("s")
    assert near(bench.pixel(0.3, 0.6), FLAT)
    assert near(bench.pixel(0.8, 0.6), HALF)
    bench.press("b")
    assert near(bench.pixel(*PLACE), FLAT)
    bench.press(" ")
    assert near(bench.pixel(*PLACE), HALF)
    bench.press("o")
    assert near(bench.pixel(*PLACE), tuple((a + b) / 2 for a, b in zip(FLAT, HALF, strict=True)))
    bench.press("d")
    for _ in range(3):
        bench.press(",")
    assert near(bench.pixel(*PLACE), tuple(a - b for a, b in zip(FLAT, HALF, strict=True)))
    browser.press("Signed")
    bench.settle()
    signed = tuple(127.5 + b - a for a, b in zip(FLAT, HALF, strict=True))
    assert near(bench.pixel(*PLACE), signed, 4)
    bench.press("l")
    ActionChains(browser.driver).move_to_element(browser.find("[data-canvas]")).perform()
    bench.settle()
    assert near(bench.pixel(0.5, 0.5), HALF)
    assert near(bench.pixel(0.72, 0.85), FLAT)
    assert browser.complaints() == []


def test_a_grid_of_three_shows_each_and_moves_them_together(bench: Bench) -> None:
    browser = bench.browser
    bench.open(bench.piece.base, bench.dark, bench.faulty, way="grid")
    assert near(bench.pixel(0.3, 0.35), FLAT)
    assert near(bench.pixel(0.8, 0.35), HALF)
    assert near(bench.pixel(0.3, 0.85), FLAT)
    bench.press("1")
    before = bench.state()
    bench.press(Keys.ARROW_RIGHT)
    after = bench.state()
    assert float(after["u"]) > float(before.get("u", 0.5))
    assert browser.find("[data-zoom-now]").text == "100 %"
    browser.find("[data-second='1']").click()
    line = browser.find("[data-apart-line]")
    assert line.text.startswith("0 coats → 1 coat")
    browser.find("[data-first='2']").click()
    assert line.text == "strength 0.35 → 0.25, seed 19 → 7"


def test_findings_are_stepped_through_by_key_and_shown_where_they_are(bench: Bench) -> None:
    browser = bench.browser
    bench.open(bench.piece.base, bench.faulty)
    findings = bench.faulty.checks["findings"] if bench.faulty.checks else []
    kinds = [finding["kind"] for finding in findings]
    assert {"colour"} < set(kinds), kinds
    rows = browser.driver.find_elements(
        "css selector", "[data-findings-of]:not([hidden]) [data-finding]"
    )
    assert len(rows) == len(findings)
    for number, finding in enumerate(findings):
        bench.press("n")
        current = browser.all("[data-finding][aria-current]")
        assert [row.text.split("\n")[-1] for row in current] == [finding["words"]]
        x, _, width, _ = finding["box"]
        state = bench.state()
        assert state["finding"] == str(number)
        assert float(state.get("u", 0.5)) == pytest.approx(
            (x + width / 2) / bench.faulty.width, abs=0.01
        )
    bench.press("N")
    assert bench.state()["finding"] == str(len(findings) - 2)
    # a map of it over the picture changes its pixels
    bench.press("0")
    spot = (0.5 + (500 / 640 - 0.5) * 0.96, 0.5 + (100 / 480 - 0.5) * 0.98)
    plain = bench.pixel(*spot)
    browser.run(
        "const select = document.querySelector('[data-map]'); select.value = 'colour';"
        "select.dispatchEvent(new Event('change'))"
    )
    bench.settle()
    tinted = bench.pixel(*spot)
    assert tinted[0] - tinted[2] > plain[0] - plain[2] + 40


def test_the_address_leads_to_exactly_this_view_and_it_can_be_saved(
    bench: Bench, tmp_path: Path
) -> None:
    browser = bench.browser
    bench.open(bench.piece.base, bench.dark)
    bench.press("2")
    bench.press(Keys.ARROW_DOWN + Keys.ARROW_LEFT)
    bench.press("i")
    for _ in range(3):
        bench.press(".")
    state = bench.state()
    assert state["zoom"] == "2"
    assert state["smooth"] == "1"
    assert state["angle"] == "15"
    assert browser.find("[data-enlarged]").text == "Smaller pictures smoothed"
    places = [(x, y) for x in (0.2, 0.4, 0.6) for y in (0.3, 0.7)]
    seen = [bench.pixel(*place) for place in places]
    browser.driver.refresh()
    bench.settle()
    assert bench.state() == state
    assert [bench.pixel(*place) for place in places] == seen
    bench.press("e")
    path = tmp_path / "plate-wipe.png"
    browser.wait(lambda _: path.exists())
    with PIL.Image.open(path) as saved:
        width, height = bench.size()
        assert saved.width == width
        assert saved.height > height + 60, "a strip with words stands below"


def test_pictures_are_chosen_and_measures_sorted(bench: Bench) -> None:
    browser = bench.browser
    bench.open(bench.piece.base, bench.faulty, way="table")
    cells = "[data-rows] th"
    assert [cell.text.split("\n")[0] for cell in browser.all(cells)] == ["A Base", "B Coat"]
    heads = browser.all("[data-sort]")
    heads[2].click()
    assert browser.all(cells)[0].text.startswith("B Coat")
    assert browser.barriers() == []
    browser.find("summary").click()
    boxes = browser.all("form [type=checkbox]")
    assert len(boxes) == 3
    for box in boxes:
        if not box.is_selected():
            box.click()
    browser.press("Show these")
    bench.browser.wait(lambda _: len(browser.all("[data-picture]")) == 3)
    browser.driver.back()


def test_a_layer_is_checked_from_here(kiln: None, bench: Bench) -> None:
    browser = bench.browser
    bench.open(bench.piece.base, bench.dark)
    browser.press("Check it now")
    browser.wait(lambda _: "darker" in browser.find("[data-findings-of]:not([hidden])").text)
    assert Layer.objects.get(pk=bench.dark.pk).checked
