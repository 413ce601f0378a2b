"""Draw, sheet, mark, take, fire, and compare the pixels, in a real browser."""

import json
from pathlib import Path

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from enamel.core.tiling.tilestore import key_of
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.swatches.pixels import pixels_of
from tests.browser.conftest import Browser
from tests.pictures import assert_same_pixels

pytestmark = pytest.mark.django_db(transaction=True)


def test_draw_sheet_mark_take_fire_and_the_same_pixels(
    signed_in: Browser, kiln: None, face_file: Path
) -> None:
    browser = signed_in
    browser.find("#files").send_keys(str(face_file))
    browser.press("Import")
    browser.find("[data-module~='bench'][data-open]")
    browser.fill("steps", 1)
    browser.fill("tile_width", 192)
    browser.fill("tile_height", 192)
    browser.fill("overlap", 32)
    browser.run("document.querySelector('#try').open = true")
    browser.wait(lambda _: browser.driver.find_elements("css selector", "[data-suggested] button"))
    browser.press("The strongest detail")
    suggested = browser.find("[name='window']").get_attribute("value")

    # draw
    browser.press("Draw it")
    stage = browser.find("[data-regions]")
    ActionChains(browser.driver).move_to_element_with_offset(stage, -50, -60).click_and_hold() \
        .move_by_offset(110, 90).release().perform()  # fmt: skip
    drawn = browser.find("[name='window']").get_attribute("value")
    assert drawn != suggested

    # sheet
    for name, value in (("vary", "strength"), ("vary_too", "seed")):
        browser.run(f"document.querySelector('[name={name}]').value = '{value}'")
    browser.fill("values", "0.2, 0.5")
    browser.fill("values_too", "1 2")
    browser.wait(lambda _: "4 swatches, about" in browser.find("[data-swatch-cost]").text)
    browser.press("Make swatches")
    browser.wait(
        lambda _: len(browser.driver.find_elements("css selector", "[data-cell] img")) == 5
    )
    sheet = SwatchSheet.objects.get()
    assert " ".join(map(str, sheet.window)) == drawn
    assert browser.barriers() == []

    # zoom all together, mark by key
    browser.find("[data-zoom='1']").click()
    widths = browser.run(
        "return [...document.querySelectorAll('[data-cell] img')].map((image) => image.style.width)"
    )
    assert set(widths) == {f"{sheet.box.width}px"}
    chosen = sheet.swatches.get(row=1, column=1)
    cell = browser.find(f"[data-cell='{chosen.pk}']")
    cell.send_keys("v")
    browser.wait(lambda _: Swatch.objects.get(pk=chosen.pk).verdict == "favourite")
    other = sheet.swatches.get(row=0, column=0)
    browser.find(f"[data-cell='{other.pk}']").send_keys("x")
    browser.wait(lambda _: Swatch.objects.get(pk=other.pk).verdict == "reject")

    # two go to the comparing bench, and back
    for swatch in (chosen, other):
        browser.find(f"[data-cell='{swatch.pk}']").send_keys("c")
    browser.find("[data-module~='compare'][data-open]")
    shown = browser.run("return document.querySelector('[data-module~=compare]').dataset.pictures")
    tokens = [picture["token"] for picture in json.loads(shown)]
    assert tokens == [f"s{chosen.pk}", f"s{other.pk}"]
    browser.driver.back()
    browser.find(f"[data-cell='{chosen.pk}']")

    # take and fire
    browser.find(f"[data-cell='{chosen.pk}']").send_keys(Keys.ENTER)
    browser.find("[data-module~='bench'][data-open]")
    assert browser.find("[name='strength']").get_attribute("value") == "0.5"
    assert browser.number("seed") == 2
    assert browser.find("nav[aria-label='Swatches']").text.startswith("4 swatches")
    browser.press("Fire this coat")
    browser.wait(lambda _: "layer=" in browser.driver.current_url)

    # the same pixels
    layer = Layer.objects.get(kind="coat")
    chosen.refresh_from_db()
    with canvas_of(layer) as canvas:
        window = canvas.read(sheet.box)
    assert_same_pixels(pixels_of(chosen), window)
    assert chosen.sha256 == key_of(window)
    firing = Piece.objects.get().firings.get()
    assert firing.actual["shared"] > 0
    assert browser.complaints() == []
