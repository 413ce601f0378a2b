"""Finishing in a real browser: live preview, steps that decide by themselves, a layer of it."""

import json
from pathlib import Path
from typing import Any

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from enamel.core.finishing.recipe import Finish
from enamel.finishing.models import FinishPreset
from enamel.library.models import Layer, Piece
from tests.browser.conftest import Browser

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def opened(signed_in: Browser, face_file: Path) -> Browser:
    browser = signed_in
    browser.bring(face_file)
    browser.link("Finish").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.find("[data-step='tone']")
    return browser


def recipe(browser: Browser) -> dict[str, Any]:
    return json.loads(browser.run("return document.querySelector('[name=recipe]').value"))


def middle(browser: Browser) -> list[int]:
    """Colour of the preview in the middle of the stage; all 0 where nothing is laid over the picture."""
    return browser.run(
        "const c = document.querySelector('[data-made]');"
        "return [...c.getContext('2d').getImageData(c.width / 2, c.height / 2, 1, 1).data]"
    )


def slide(browser: Browser, step: str, control: str, place: int) -> None:
    browser.run(
        "const f = document.querySelector(`[data-step=${arguments[0]}] [data-control=${arguments[1]}]"
        " [type=range]`); f.value = arguments[2]; f.dispatchEvent(new Event('input', {bubbles: true}))",
        step, control, place,
    )  # fmt: skip


def test_a_value_is_seen_while_it_is_dragged_and_becomes_a_layer(
    kiln: None, opened: Browser
) -> None:
    browser = opened
    assert middle(browser)[3] == 0
    browser.find("[data-step='colour'] [data-unfold]").click()
    slide(browser, "colour", "saturation", 0)
    browser.wait(lambda _: "pixel by pixel" in browser.find("[data-preview-says]").text)
    browser.wait(lambda _: middle(browser)[3] == 255)
    red, green, blue, _ = middle(browser)
    assert max(red, green, blue) - min(red, green, blue) <= 1
    assert recipe(browser)["colour"] == {"on": True, "saturation": -1, "warmth": 0}
    browser.find("[data-step='colour'] [data-without]").click()
    browser.wait(lambda _: middle(browser)[3] == 0)
    browser.find("[data-step='colour'] [data-without]").click()
    browser.find("[data-step='tone'] [data-unfold]").click()
    browser.find("[data-step='tone'] [data-automatic]").click()
    browser.wait(lambda _: "thousandth" in browser.find("[data-step='tone'] [data-reason]").text)
    assert recipe(browser)["tone"]["on"]
    browser.find("[data-step='tone'] [data-back]").click()
    browser.wait(lambda _: not recipe(browser)["tone"]["on"])
    assert browser.barriers() == []
    browser.find("[data-key='fire']").click()
    browser.wait(lambda _: Layer.objects.filter(kind="finish").exists())
    layer = Layer.objects.get(kind="finish")
    browser.wait(lambda _: str(layer.pk) in browser.driver.current_url)
    assert list(Finish.from_json(layer.recipe["finish"]).steps) == ["colour"]
    browser.link("Change this finish …").click()
    browser.find("[data-step='tone']")
    assert recipe(browser)["colour"]["saturation"] == -1
    assert browser.complaints() == []


def test_a_curve_is_bent_by_keys_and_a_neutral_is_picked(opened: Browser) -> None:
    browser = opened
    browser.find("[data-step='tone'] [data-unfold]").click()
    browser.run("document.querySelector('[data-curve]').scrollIntoView({block: 'center'})")
    curve = browser.find("[data-curve]")
    curve.click()
    browser.wait(lambda _: len(recipe(browser)["tone"]["curve"]) == 3)
    x, y = recipe(browser)["tone"]["curve"][1]
    assert x == pytest.approx(0.5, abs=0.05)
    browser.driver.switch_to.active_element.send_keys(Keys.ARROW_UP * 5)
    browser.wait(
        lambda _: recipe(browser)["tone"]["curve"][1][1] == pytest.approx(y + 0.05, abs=0.002)
    )
    browser.driver.switch_to.active_element.send_keys(Keys.DELETE)
    browser.wait(lambda _: recipe(browser)["tone"]["curve"] == [[0, 0], [1, 1]])
    browser.find("[data-pick]").click()
    browser.driver.find_element(By.CSS_SELECTOR, "[data-view]").click()
    browser.wait(lambda _: recipe(browser)["tone"]["grey"] != "#808080")
    assert browser.find("[data-pick]").get_attribute("aria-pressed") == "false"


def test_a_finish_presets_is_kept_and_used_again(opened: Browser) -> None:
    browser = opened
    slide(browser, "grain", "amount", 500)
    browser.press("Presets …")
    browser.find("#finish-name").send_keys("grainy")
    browser.find("[data-keep-it]").click()
    browser.find("[data-kept]")
    assert FinishPreset.objects.get().as_finish().grain.amount == pytest.approx(20, abs=0.1)
    browser.driver.refresh()
    browser.find("[data-module~='bench'][data-open]")
    assert not recipe(browser)["grain"]["on"]
    browser.press("Presets …")
    browser.find("[data-use]").click()
    browser.wait(lambda _: recipe(browser)["grain"]["on"])
    browser.wait(lambda _: "loaded" in browser.find("[data-presets-says]").text)
    assert Piece.objects.count() == 1
