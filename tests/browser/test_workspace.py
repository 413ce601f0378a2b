"""The workspace in a real browser: print, crop, undo, schedule presets, keys, pieces, sheets, copies."""

import time
from pathlib import Path

import PIL.Image
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from enamel.accounts.models import Session
from enamel.firings.models import Firing, SchedulePreset
from enamel.library import layers as store
from enamel.library.models import Piece
from tests.browser.conftest import Browser
from tests.cards import put_card, put_checkpoint, take_cards_away
from tests.layers import enlarged, layer_of
from tests.pictures import STATIONMASTER, contact_sheet, whole

pytestmark = pytest.mark.django_db(transaction=True)


def portrait(path: Path, size: tuple[int, int]) -> Path:
    with PIL.Image.open(STATIONMASTER) as image:
        image.convert("RGB").resize(size).save(path)
    return path


@pytest.fixture
def bench(signed_in: Browser, tmp_path: Path) -> Browser:
    """The workspace of the stationmaster, small."""
    signed_in.bring(portrait(tmp_path / "portrait.png", (240, 320)))
    return signed_in


def task(browser: Browser, name: str) -> None:
    browser.driver.get(f"{browser.driver.current_url.split('?')[0]}?task={name}")
    browser.find("[data-module~='bench'][data-open]")


def test_paper_with_bleed_is_cropped_by_hand_and_downloaded_to_the_pixel(
    kiln: None, bench: Browser, tmp_path: Path
) -> None:
    task(bench, "print")
    bench.fill("width", "4 in")
    bench.fill("height", "10 cm")
    bench.fill("bleed", "3 mm")
    bench.find("[name='fit'][value='fill']").click()
    cost = "[data-part='missing']"
    bench.wait(lambda _: "1271 × 1252 px" in bench.find(cost).text)
    assert "Needs 5.3× to print 101.6 × 100 mm at 300 ppi." in bench.find(cost).text
    edge = bench.find(".print-edge")
    whole = bench.find("[data-regions]").size["height"]
    ActionChains(bench.driver).move_to_element(edge).click_and_hold().move_by_offset(
        0, -round(whole * 0.2)
    ).release().perform()
    bench.wait(lambda _: Piece.objects.get().print_plan.centre[1] < 0.45)
    bench.find("[data-thirds]").click()
    assert len(bench.driver.find_elements("css selector", ".print-thirds")) == 4
    plan = Piece.objects.get().print_plan
    assert plan.centre[0] == pytest.approx(0.5)
    task(bench, "file")
    bench.press("Write the print file")
    path = tmp_path / "portrait-base-240x236.tif"
    bench.wait(lambda _: path.exists())
    with PIL.Image.open(path) as made:
        assert made.size == (240, 236)
        assert made.info["dpi"][0] == pytest.approx(240 / (107.6 / 25.4), abs=0.2)
    assert bench.complaints() == []


def test_named_papers_lie_as_the_picture_does_and_turn(bench: Browser) -> None:
    task(bench, "print")
    bench.run(
        "const paper = document.querySelector('[name=paper]'); paper.value = 'A6';"
        "paper.dispatchEvent(new Event('input', {bubbles: true}))"
    )
    assert bench.find("[name='width']").get_attribute("value") == "105 mm"
    bench.press("Turn")
    assert bench.find("[name='width']").get_attribute("value") == "148 mm"
    bench.wait(lambda _: Piece.objects.get().print_plan.target.width_mm == 148)


def test_settings_are_marked_set_back_undone_and_redone(bench: Browser) -> None:
    task(bench, "coat")
    bench.fill("strength", 0.42)
    bench.wait(lambda _: bench.driver.find_elements("css selector", ".was"))
    assert bench.find("[data-field='strength'] .was").text == "was 0.3"
    bench.wait(lambda _: bench.find("[data-key='undo']").is_enabled())
    bench.driver.find_element("tag name", "body").click()
    bench.run("document.activeElement.blur()")
    ActionChains(bench.driver).send_keys("u").perform()
    bench.wait(lambda _: bench.find("[name='strength']").get_attribute("value") == "0.3")
    bench.find("[data-module~='bench'][data-open]")
    ActionChains(bench.driver).send_keys("U").perform()
    bench.wait(lambda _: bench.find("[name='strength']").get_attribute("value") == "0.42")
    bench.find("[data-module~='bench'][data-open]")
    bench.find("[data-field='strength'] .was").click()
    bench.wait(lambda _: not bench.driver.find_elements("css selector", ".was"))
    assert bench.find("[name='strength']").get_attribute("value") == "0.3"
    assert bench.complaints() == []


def test_tiles_rulers_surround_and_zoom_by_key(bench: Browser) -> None:
    task(bench, "coat")
    bench.fill("tile_width", 128)
    bench.fill("tile_height", 128)
    bench.fill("overlap", 32)
    bench.wait(lambda _: "24 tiles" in bench.find("[data-part='tiles-cost']").text)
    bench.run("document.activeElement.blur()")
    ActionChains(bench.driver).send_keys("tr2]").perform()
    grid = bench.find("[data-grid]")
    bench.wait(lambda _: grid.get_attribute("data-tiles") == "24")
    bench.find("[data-ruler='across']")
    bench.wait(lambda _: bench.find("[data-zoom-now]").text == "200 %")
    assert bench.find("[data-surround]").get_attribute("value") == "52"
    bench.driver.refresh()
    bench.find("[data-module~='bench'][data-open]")
    assert bench.find("[data-surround]").get_attribute("value") == "52"
    bench.find("[data-zoom='print']").click()
    bench.find("#calibrate[open]")
    bench.press("It matches")
    usual = 96 / 300
    bench.wait(lambda _: bench.find("[data-zoom-now]").text == f"{usual:.0%}".replace("%", " %"))
    assert bench.complaints() == []


def test_a_schedule_preset_is_kept_and_used(bench: Browser) -> None:
    task(bench, "coat")
    bench.fill("strength", 0.17)
    bench.wait(lambda _: "strength 0.17" in bench.find("[data-part='coats']").text)
    bench.press("Presets …")
    bench.fill("name", "soft")
    bench.find("#schedule-presets").find_element("xpath", ".//button[. = 'Save']").click()
    bench.wait(lambda _: SchedulePreset.objects.filter(name="soft").exists())
    bench.wait(lambda _: "is kept" in bench.find("[role='status']").text)
    bench.find("[data-module~='bench'][data-open]")
    bench.fill("strength", 0.5)
    bench.wait(lambda _: "strength 0.5" in bench.find("[data-part='coats']").text)
    bench.press("Presets …")
    bench.find("#schedule-presets [type='radio']").click()
    bench.press("Use on this piece")
    bench.wait(lambda _: bench.find("[name='strength']").get_attribute("value") == "0.17")


def test_a_smaller_copy_is_noticed_where_it_was_imported(
    kiln: None, bench: Browser, tmp_path: Path
) -> None:
    bench.open()
    bench.find("#files").send_keys(str(portrait(tmp_path / "preview.jpg", (120, 160))))
    bench.press("Import")
    message = bench.find("[data-drop-files]")
    bench.wait(lambda _: "A smaller copy of “portrait” (240 × 320 px)" in message.text)
    bench.find("[data-drop-files] a").click()
    bench.find("[data-module~='bench'][data-open]")
    bench.link("Open that one").click()
    bench.wait(lambda _: bench.find("h1").text == "portrait")


def test_pieces_are_marked_by_key_and_deleted(bench: Browser) -> None:
    bench.open()
    card = bench.find("[data-open]")
    card.send_keys("n")
    bench.wait(lambda _: Piece.objects.get().mark == "drop")
    card.send_keys("y")
    bench.wait(lambda _: Piece.objects.get().mark == "keep")
    assert bench.find("[data-piece]").get_attribute("data-mark") == "keep"
    card.send_keys("n")
    bench.wait(lambda _: Piece.objects.get().mark == "drop")
    bench.open()
    bench.press("delete the 1 marked drop")
    bench.press("Delete pieces")
    bench.wait(lambda _: "deleted; restore within 30 days" in bench.find("body").text)
    bench.link("recently deleted").click()
    bench.press("Restore")
    bench.wait(lambda _: bench.find("[data-open]"))
    assert Piece.objects.get().deleted_at is None


def test_a_contact_sheet_is_cut_with_keys(signed_in: Browser, kiln: None, tmp_path: Path) -> None:
    browser = signed_in
    path = tmp_path / "candidates.png"
    contact_sheet().save(path)
    browser.find("#files").send_keys(str(path))
    browser.press("Import")
    message = browser.find("[data-drop-files]")
    browser.wait(lambda _: "contact sheet of 4 candidates" in message.text)
    browser.find("[data-drop-files] a").click()
    browser.link("Split it").click()
    edge = browser.find("[data-edge='columns 0 1']")
    assert edge.get_attribute("aria-valuenow") == "200"
    edge.send_keys(Keys.ARROW_LEFT)
    browser.find("[data-edge='columns 0 1']").send_keys(Keys.SHIFT, Keys.ARROW_LEFT)
    columns = browser.find("[name='columns']")
    assert columns.get_attribute("value") == "0–189 208–408"
    assert "Makes 4 pieces" in browser.find("main").text
    browser.find("aside form button").click()
    browser.wait(lambda _: Piece.objects.count() == 5)
    assert Piece.objects.get(title="candidates 1").base.size == (189, 160)
    assert browser.complaints() == []


CUT = """
const bar = document.querySelector("[role='toolbar'][aria-label='View']");
const seen = [...bar.querySelectorAll("button, select, output, input")].filter((one) => one.offsetParent
  && !one.classList.contains("sr-only"));
const right = bar.getBoundingClientRect().right;
const cut = seen.filter((one) => one.getBoundingClientRect().right > right + 0.5
  || one.offsetHeight > 32 || one.scrollWidth > one.offsetWidth + 1);
return [seen.length, cut.map((one) => one.textContent.trim() || one.name || one.tagName)];
"""
"""How many controls the bar under the picture shows, and those that are cut or broken into two lines."""


def test_the_bar_under_the_picture_is_neither_cut_nor_broken(
    bench: Browser, tmp_path: Path
) -> None:
    piece = Piece.objects.get()
    with store.canvas_of(piece.base) as canvas:
        layer_of(piece, enlarged(whole(canvas)), tmp_path, checked=False)
    for name in ("print", "coat", "touch-up", "inlay", "finish", "file", "base"):
        task(bench, name)
        for width in (1180, 1280, 1600):
            bench.driver.set_window_size(width, 800)
            shown, cut = bench.run(CUT)
            assert shown >= 6, (name, width)
            assert cut == [], (name, width)


def test_the_section_is_walked_by_arrows_and_peeks(kiln: None, bench: Browser) -> None:
    task(bench, "coat")
    bench.fill("steps", 1)
    bench.fill("strength", 0.2)
    bench.wait(lambda _: "strength 0.2" in bench.find("[data-part='coats']").text)
    bench.press("Fire this coat")
    bench.wait(lambda _: "layer=" in bench.driver.current_url)
    bench.find("[data-module~='bench'][data-open]")
    ActionChains(bench.driver).send_keys("s").perform()
    focused = "return document.activeElement.dataset.says"
    bench.wait(lambda _: "Coat · 480 × 640 px" in (bench.run(focused) or ""))
    assert "strength 0.2" in bench.find("[data-peek] p").text
    ActionChains(bench.driver).send_keys(Keys.ARROW_DOWN).perform()
    assert bench.run(focused).startswith("Base · 240 × 320 px")
    ActionChains(bench.driver).send_keys(Keys.ARROW_UP).perform()
    assert bench.run(focused).startswith("Coat")


def test_a_button_held_down_while_the_page_learns_the_cost_keeps_its_click(bench: Browser) -> None:
    task(bench, "coat")
    fire = bench.find("[data-part='fire'] button")
    bench.run(
        "arguments[0].textContent = 'Go'", fire
    )  # so that it differs from what the server sends
    ActionChains(bench.driver).click_and_hold(fire).perform()
    strength = bench.find("[name='strength']")
    changed = "arguments[0].value = 0.2; arguments[0].dispatchEvent(new Event('input', { bubbles: true }))"
    bench.run(changed, strength)
    time.sleep(1.5)  # the server has answered long since
    assert fire.is_displayed()
    ActionChains(bench.driver).release().perform()
    bench.wait(lambda _: Firing.objects.exists())


def test_where_the_session_has_ended_the_page_leads_to_signing_in_and_back(bench: Browser) -> None:
    task(bench, "coat")
    here = bench.driver.current_url
    Session.objects.all().delete()
    bench.fill("strength", 0.2)
    bench.wait(lambda _: "/sign-in/" in bench.driver.current_url)
    bench.press("Enter the Kestrel Vale print shop")
    bench.wait(lambda _: bench.driver.current_url == here)


def test_what_a_refiner_does_not_know_goes_and_comes_back(bench: Browser, tmp_path: Path) -> None:
    put_checkpoint("night-mail", tmp_path)
    put_card("edges", "guide", tmp_path)
    try:
        task(bench, "coat")
        bench.fill("restore", 0.6)
        assert not bench.driver.find_element("name", "adapters").is_displayed()
        choose = "const [f] = document.getElementsByName(arguments[0]); f.value = arguments[1];"
        choose += "f.dispatchEvent(new Event('input', { bubbles: true }))"
        bench.run(choose, "model", "night-mail")
        adapters = bench.driver.find_element("name", "adapters")
        bench.wait(lambda _: adapters.is_displayed())
        assert not bench.driver.find_element("name", "restore").is_displayed()
        assert (
            "how much of the enlarged picture the start keeps"
            in bench.find("form[data-module~='settings']").text
        )
        bench.run(choose, "structure_guide", "edges")
        bench.wait(
            lambda _: (
                "weight of the structure guide" in bench.find("form[data-module~='settings']").text
            )
        )

        # the tile it was made for, by a click
        bench.find("[data-take-tile]").click()
        bench.wait(lambda _: not bench.driver.find_elements("css selector", "[data-take-tile]"))
        refine = Piece.objects.get().schedule.coats[0].refine
        assert refine is not None
        assert refine.tile == (768, 768)
        assert bench.barriers() == []

        bench.run(choose, "model", "grisaille")
        again = bench.driver.find_element("name", "restore")
        bench.wait(lambda _: again.is_displayed())
        assert again.get_attribute("value") == "0.6"
        assert not adapters.is_displayed()
    finally:
        take_cards_away()
