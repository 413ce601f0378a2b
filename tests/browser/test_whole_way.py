"""From a file on the artist's disk to a print file, in a real browser."""

from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from enamel.firings.models import Firing
from enamel.library.models import Layer
from tests.browser.conftest import Browser

LIVE_TILES = "return document.querySelector('[data-live-tiles]')?.dataset.tiles > 0"
pytestmark = pytest.mark.django_db(transaction=True)


def fraction_left_of_line(browser: Browser) -> float:
    return float(browser.find("[data-wipe]").get_attribute("aria-valuenow") or "nan")


def test_sign_in_upload_set_fire_watch_touch_up_wipe_download(
    signed_in: Browser, kiln: None, face_file: Path, tmp_path: Path
) -> None:
    browser = signed_in
    # upload
    browser.find("#files").send_keys(str(face_file))
    browser.press("Import")
    browser.find("[data-module~='bench'][data-open]")
    assert browser.find("h1").text == "face"

    # set: the cost follows
    browser.fill("strength", 0.5)
    browser.fill("steps", 2)
    browser.fill("seed", 12)
    browser.fill("tile_width", 256)
    browser.fill("tile_height", 256)
    browser.fill("overlap", 32)
    browser.wait(lambda _: "6 tiles" in browser.find("[data-cost]").text)
    assert "480 × 640 px" in browser.find("[data-cost]").text

    # fire and watch tiles arrive on the picture
    browser.press("Fire this coat")
    browser.wait(lambda _: browser.run(LIVE_TILES))
    assert "of 6 tiles" in browser.find("[data-module='firing']").text
    browser.wait(lambda _: "% · face" in browser.driver.title)
    painted = browser.run(
        "const c = document.querySelector('[data-live-tiles]');"
        "const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;"
        "return d.some((value, place) => place % 4 === 3 && value > 0)"
    )
    assert painted
    browser.wait(lambda _: "layer=" in browser.driver.current_url)
    browser.find("[data-module~='bench'][data-open]")
    coat = Layer.objects.get(kind="coat")
    assert coat.seed == 12
    assert coat.recipe["coat"]["refine"]["tile"] == [256, 256]

    # wipe at fit, 100 % and 200 %, by mouse and by key
    zoom = browser.find("[data-zoom-now]")
    for choice, shown in (("1", "100 %"), ("2", "200 %")):
        browser.find(f"[data-zoom='{choice}']").click()
        browser.wait(lambda _, shown=shown: zoom.text == shown)
    browser.find("[data-zoom='fit']").click()
    line = browser.find("[data-wipe]")
    assert fraction_left_of_line(browser) == 50
    ActionChains(browser.driver).drag_and_drop_by_offset(line, 120, 0).perform()
    assert fraction_left_of_line(browser) > 60
    line.send_keys(Keys.HOME)
    assert fraction_left_of_line(browser) == 0
    line.send_keys(Keys.SHIFT, Keys.ARROW_RIGHT)
    assert fraction_left_of_line(browser) == 10

    # mend a face
    browser.link("Touch-up").click()
    browser.find("[data-mask-face]").click()
    browser.fill("working", 256)
    browser.fill("steps", 1)
    browser.fill("seeds", 1)
    browser.wait(lambda _: "WORKS AT" in browser.find("[data-cost]").text)
    browser.press("Make candidates")
    browser.find("[data-after]")
    browser.driver.switch_to.active_element.send_keys("y")
    browser.wait(lambda _: browser.find("[data-lay]").is_enabled())
    browser.find("[data-lay]").click()
    browser.wait(lambda _: Layer.objects.filter(kind="touch-up").exists())
    touch_up = Layer.objects.get(kind="touch-up")
    assert touch_up.parent == coat
    browser.wait(lambda _: str(touch_up.pk) in browser.driver.current_url)

    # download
    browser.find("nav[aria-label='Task'] a[href*='task=file']").click()
    browser.find("[name='extent'][value='whole']").click()
    browser.fill("ppi", 240)
    browser.wait(lambda _: "51 × 68 mm" in browser.find("[data-part='cost']").text)
    browser.press("Write the print file")
    path = tmp_path / "face-touch-up-480x640.tif"
    browser.wait(lambda _: path.exists())
    with PIL.Image.open(path) as made:
        assert made.size == (480, 640)
        assert made.info["dpi"] == pytest.approx((240, 240), abs=0.1)
        assert b"RGB" in made.info["icc_profile"][:32]
        assert np.asarray(made).std() > 20
    assert browser.complaints() == []


def test_stop_then_resume(signed_in: Browser, kiln: None, face_file: Path) -> None:
    browser = signed_in
    browser.find("#files").send_keys(str(face_file))
    browser.press("Import")
    browser.find("[data-module~='bench'][data-open]")
    browser.fill("steps", 3)
    browser.fill("tile_width", 128)
    browser.fill("tile_height", 128)
    browser.fill("overlap", 16)
    browser.press("Fire this coat")
    browser.wait(lambda _: Firing.objects.get().done > 0)
    browser.press("Pause")
    browser.wait(lambda _: Firing.objects.get().state == Firing.State.STOPPED)
    browser.wait(lambda _: "Firing paused" in browser.find("aside h2[data-state-name]").text)
    assert "Finished tiles are kept" in browser.find("main").text
    browser.press("Resume")
    browser.wait(lambda _: "layer=" in browser.driver.current_url)
    assert Firing.objects.get().state == Firing.State.DONE


def test_a_file_that_can_not_be_used_is_refused_where_it_was_dropped(
    signed_in: Browser, tmp_path: Path
) -> None:
    path = tmp_path / "notes.png"
    path.write_text("words, not pixels")
    signed_in.find("#files").send_keys(str(path))
    signed_in.press("Import")
    message = signed_in.find("[data-drop-files]")
    signed_in.wait(
        lambda _: "notes.png" in message.text and "This is not a picture" in message.text
    )


def test_the_screens_have_no_barriers(signed_in: Browser, face_file: Path) -> None:
    browser = signed_in
    assert browser.barriers() == []
    browser.bring(face_file)
    here = browser.driver.current_url
    for task in ("print", "coat", "touch-up", "inlay", "file", "base"):
        browser.driver.get(f"{here.split('?')[0]}?task={task}")
        browser.find("[data-module~='bench'][data-open]")
        assert browser.barriers() == [], task
    split = browser.driver.find_element("partial link text", "Split")
    for path in (
        split.get_attribute("href"),
        "/",
        "/?q=nothing",
        "/preferences/",
        "/sessions/",
        "/disk/",
        "/pieces/recently-deleted/",
        "/print-files/",
        "/bureau/",
        "/scripts/",
        "/scripts/description/",
    ):
        browser.driver.get(path if path.startswith("http") else browser.address + path)
        browser.find("main")
        assert browser.barriers() == [], path
    browser.find("[data-key='sheet']").click()
    browser.find("#sheet[open]")
    assert browser.barriers() == [], "sheet"
    browser.find("#sheet [data-close]").click()
    browser.press("Sign out")
    browser.find("[name='username']")
    assert browser.barriers() == []


def test_a_plan_becomes_coats_that_are_edited_and_words_are_drawn(
    signed_in: Browser, kiln: None, face_file: Path
) -> None:
    browser = signed_in
    browser.find("#files").send_keys(str(face_file))
    browser.press("Import")
    browser.find("[data-module~='bench'][data-open]")
    browser.link("Print").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.find("[name='sizing'][value='pixels']").click()
    browser.fill("px_width", 1200)
    browser.fill("px_height", 1600)
    browser.wait(lambda _: "1200 × 1600 px" in browser.find("[data-part='cost']").text)
    assert browser.find("[data-part='steps']").text.count("of the work") == 3
    browser.fill("strength-2", 0.12)
    browser.wait(lambda _: "strength 0.12" in browser.find("[data-part='steps']").text)
    browser.press("Use these coats")
    browser.find("[data-module~='bench'][data-open]")
    rows = browser.find("[data-part='coats']")
    assert rows.text.count("strength") == 3
    assert "strength 0.12" in rows.text

    browser.driver.find_element("link text", "Coats").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.driver.find_element("css selector", "[data-part='coats'] li:nth-child(2) a").click()
    browser.wait(lambda _: "Coat 2" in browser.find("main").text)
    browser.find("[data-module~='bench'][data-open]")
    browser.fill("strength", 0.15)
    browser.wait(lambda _: "strength 0.15" in browser.find("[data-part='coats']").text)

    browser.run("for (const part of document.querySelectorAll('details')) part.open = true")
    browser.fill("prompt", "brick, wool")
    browser.wait(lambda _: "wool (cloth)" in browser.find("[data-part='words']").text)
    browser.press("Draw a part")
    stage = browser.find("[data-regions]")
    ActionChains(browser.driver).move_to_element_with_offset(stage, -40, -40).click_and_hold() \
        .move_by_offset(80, 80).release().perform()  # fmt: skip
    browser.driver.switch_to.active_element.send_keys("brass badge")
    browser.wait(lambda _: "brass (metal) badge" in browser.find("[data-part='words']").text)

    browser.press("Remove")
    browser.wait(lambda _: browser.find("[data-part='coats']").text.count("strength") == 2)
    browser.press("Add")
    browser.wait(lambda _: browser.find("[data-part='coats']").text.count("strength") == 3)
    assert browser.complaints() == []
