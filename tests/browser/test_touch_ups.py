"""Masks, faces, candidates and inlays in a real browser."""

import json
from pathlib import Path

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from enamel.core.geometry import Box
from enamel.core.masks import Mask, RenderedMask
from enamel.core.pipeline.inlay import Inlay
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece, SavedMask
from enamel.touchups.models import Candidate, TouchUpDraft
from tests.browser.conftest import Browser

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def opened(signed_in: Browser, face_file: Path) -> Browser:
    """The face's touch-up, ready to be drawn on."""
    browser = signed_in
    browser.bring(face_file)
    browser.link("Touch-up").click()
    browser.find("[data-module~='bench'][data-open]")
    return browser


def steps(browser: Browser) -> list[dict[str, object]]:
    """What the current mask is made of."""
    field = browser.run("return document.querySelector('[name=mask], [name=inlays]').value")
    if not field:
        return []
    form = json.loads(field)
    if isinstance(form, list):
        form = form[0]["mask"]
    found: list[dict[str, object]] = form["steps"] if form else []
    return found


def drag(browser: Browser, start: tuple[int, int], by: tuple[int, int]) -> None:
    canvas = browser.driver.find_element(By.CSS_SELECTOR, "[data-mask]")
    chain = ActionChains(browser.driver, duration=40).move_to_element_with_offset(canvas, *start)
    chain.click_and_hold()
    for _ in range(6):
        chain.move_by_offset(by[0] // 6, by[1] // 6)
    chain.release().perform()


def tint_at(browser: Browser, x: int, y: int) -> int:
    """Opacity, 0 to 255, of the mask that is shown at a place of the picture's middle."""
    return int(browser.run(
        "const c = document.querySelector('[data-mask]');"
        "const r = window.devicePixelRatio;"
        "return c.getContext('2d').getImageData(r * (c.clientWidth / 2 + arguments[0]),"
        " r * (c.clientHeight / 2 + arguments[1]), 1, 1).data[3]", x, y,
    ))  # fmt: skip


def press(browser: Browser, key: str) -> None:
    browser.driver.find_element(By.CSS_SELECTOR, "[data-view]").click()
    ActionChains(browser.driver).send_keys(key).perform()


def test_the_brush_every_tool_and_undo_of_every_stroke(opened: Browser) -> None:
    browser = opened
    browser.find("[data-tool='brush']").click()
    drag(browser, (-60, 0), (120, 0))
    browser.wait(lambda _: [step["kind"] for step in steps(browser)] == ["stroke"])
    browser.wait(lambda _: tint_at(browser, 0, 0) > 80)
    assert tint_at(browser, 0, 120) == 0
    browser.find("[data-tool='eraser']").click()
    drag(browser, (0, -60), (0, 120))
    browser.wait(lambda _: tint_at(browser, 0, 0) == 0)
    assert tint_at(browser, -40, 0) > 80
    for tool, kind in (("lasso", "outline"), ("ellipse", "ellipse"), ("box", "rectangle")):
        browser.find(f"[data-tool='{tool}']").click()
        drag(browser, (-80, 90), (96, 60) if tool != "lasso" else (96, 0))
        if tool != "lasso":
            browser.wait(lambda _, kind=kind: steps(browser)[-1]["kind"] == kind)
    browser.find("[data-tool='box']").click()  # put down: the picture can be dragged again
    count = len(steps(browser))
    for name in ("invert", "grow", "feather", "fill", "clear"):
        browser.find(f"[data-step='{name}']").click()
    browser.wait(lambda _: steps(browser) == [])
    for _ in range(5):
        press(browser, "z")
    browser.wait(lambda _: len(steps(browser)) == count)
    for left in range(count - 1, -1, -1):
        press(browser, "z")
        browser.wait(lambda _, left=left: len(steps(browser)) == left)
    assert not browser.find("[data-mask-undo]").is_enabled()
    press(browser, "Z")
    browser.wait(lambda _: [step["kind"] for step in steps(browser)] == ["stroke"])

    # it means the same to the engine, and is kept
    mask = Mask.from_json(
        json.loads(browser.run("return document.querySelector('[name=mask]').value"))
    )
    piece = Piece.objects.get()
    covered = RenderedMask(mask, piece.base.size).read(Box.whole(piece.base.size))
    assert covered[160, 120] == 1
    assert covered[40, 120] == 0
    browser.find("[data-mask-keep]").click()
    browser.find("#mask-name").send_keys("the moustache" + Keys.ENTER)
    browser.wait(lambda _: SavedMask.objects.filter(name="the moustache").exists())
    assert SavedMask.objects.get().as_mask() == mask
    assert browser.barriers() == []
    assert browser.complaints() == []


def test_faces_are_listed_masked_corrected_added_and_removed(opened: Browser) -> None:
    browser = opened
    browser.find("[data-mask-face]").click()
    browser.wait(lambda _: [step["kind"] for step in steps(browser)] == ["ellipse", "feather"])
    before = browser.find("[data-face]").get_attribute("data-box")
    browser.find("[data-edit-face]").click()
    for label in ("Right", "Down", "Larger", "Turn right"):
        browser.find(f"[data-face-editor] [aria-label='{label}']").click()
    browser.find("[data-face-keep]").click()
    browser.wait(lambda _: Piece.objects.get().faces_kept is not None)
    browser.wait(lambda _: browser.find("[data-face]").get_attribute("data-box") != before)
    (kept,) = Piece.objects.get().faces_kept or []
    assert kept[4] == pytest.approx((Piece.objects.get().base.faces or [])[0][4] + 3, abs=0.2)
    browser.find("[data-add-face]").click()
    stage = browser.driver.find_element(By.CSS_SELECTOR, "[data-regions]")
    ActionChains(browser.driver).move_to_element_with_offset(stage, -100, 150).click_and_hold() \
        .move_by_offset(60, 70).release().perform()  # fmt: skip
    browser.wait(lambda _: len(browser.all("[data-face]")) == 2)
    browser.all("[data-edit-face]")[0].click()
    browser.find("[data-face-remove]").click()
    browser.wait(lambda _: len(browser.all("[data-face]")) == 1)
    browser.find("[data-faces-as-found]").click()
    browser.wait(lambda _: Piece.objects.get().faces_kept is None)
    assert browser.complaints() == []


def test_candidates_are_blinked_accepted_painted_and_laid(kiln: None, opened: Browser) -> None:
    browser = opened
    browser.find("[data-mask-face]").click()
    browser.fill("working", 160)
    browser.fill("steps", 1)
    browser.fill("seeds", 2)
    browser.press("Make candidates")
    browser.wait(lambda _: len(browser.all("[data-after]")) == 2)
    first, second = browser.all("[data-candidate]")
    picture = first.find_element(By.CSS_SELECTOR, "[data-after]")
    after = picture.get_attribute("src")
    ActionChains(browser.driver).move_to_element(first).perform()
    browser.run("arguments[0].focus()", first)
    ActionChains(browser.driver).key_down("b").perform()
    assert "/before/" in picture.get_attribute("src")
    ActionChains(browser.driver).key_up("b").perform()
    assert picture.get_attribute("src") == after
    ActionChains(browser.driver).send_keys("y").perform()
    browser.wait(lambda _: first.get_attribute("data-verdict") == "accepted")
    ActionChains(browser.driver).send_keys(Keys.ARROW_RIGHT, "n").perform()
    browser.wait(lambda _: second.get_attribute("data-verdict") == "rejected")
    ActionChains(browser.driver).send_keys("m").perform()
    canvas = second.find_element(By.CSS_SELECTOR, "[data-mask]")
    ActionChains(browser.driver).move_to_element_with_offset(canvas, -30, -20).click_and_hold() \
        .move_by_offset(30, 10).move_by_offset(20, 5).release().perform()  # fmt: skip
    browser.wait(lambda _: second.get_attribute("data-painted") is not None)
    assert second.get_attribute("data-verdict") == "accepted"
    assert browser.barriers() == []
    browser.find("[data-lay]").click()
    browser.wait(lambda _: Layer.objects.filter(kind="touch-up").exists())
    layer = Layer.objects.get(kind="touch-up")
    patches = layer.recipe["touch_up"]["patches"]
    assert [patch["over"] is None for patch in patches] == [True, False]
    browser.wait(lambda _: str(layer.pk) in browser.driver.current_url)

    # changed, it is begun again on what it was made from, and what came after is done again
    later = Inlay(Piece.objects.get().base.sha256, opacity=0.3)
    asked = firings.enqueue_inlays(layer, [later])
    browser.wait(lambda _: Firing.objects.get(pk=asked.pk).state == Firing.State.DONE)
    browser.open(f"/pieces/{layer.piece_id}/?layer={layer.pk}&task=touch-up")
    browser.link("Change this touch-up").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.wait(lambda _: [step["kind"] for step in steps(browser)] == ["ellipse", "feather"])
    browser.fill("seed", 40)
    browser.fill("seeds", 1)
    browser.press("Make candidates")
    browser.find("[data-after]")
    assert TouchUpDraft.objects.order_by("-created")[0].replaces == layer
    browser.driver.switch_to.active_element.send_keys("y")
    browser.wait(lambda _: browser.find("[data-lay]").is_enabled())
    browser.find("[data-lay]").click()
    browser.wait(
        lambda _: (
            "after which 1 layer was made" in browser.driver.find_element(By.TAG_NAME, "main").text
        )
    )
    browser.press("Do it again")
    browser.wait(lambda _: Layer.objects.filter(kind="inlay").count() == 2)
    again = Layer.objects.filter(kind="inlay").order_by("-created")[0]
    assert again.parent is not None
    assert again.parent.replaces == layer
    assert browser.complaints() == []


def test_a_crowd_is_accepted_and_rejected_by_key_and_done_again(
    kiln: None, opened: Browser
) -> None:
    browser = opened
    piece = Piece.objects.get()
    piece.faces_kept = [[60, 60, 40, 48, 0], [140, 60, 40, 48, 0], [100, 180, 40, 48, 0]]
    piece.save(update_fields=["faces_kept"])
    browser.driver.refresh()
    browser.find("[data-module~='bench'][data-open]")
    for name, value in (("steps", 1), ("seeds", 1)):
        browser.fill(name, value)
    browser.press("Mend all faces")
    browser.wait(lambda _: len(browser.all("[data-after]")) == 3)
    for key in ("y", "n", "y"):
        browser.driver.switch_to.active_element.send_keys(key)
        browser.wait(lambda _, key=key: True)
    browser.wait(
        lambda _: (
            sorted(Candidate.objects.values_list("verdict", flat=True))
            == ["accepted", "accepted", "rejected"]
        )
    )
    browser.find("[data-lay]").click()
    browser.wait(lambda _: Layer.objects.filter(kind="touch-up").exists())
    assert len(Layer.objects.get(kind="touch-up").recipe["places"]) == 2


def test_an_inlay_with_a_mask_is_seen_before_it_is_laid(kiln: None, opened: Browser) -> None:
    browser = opened
    base = Piece.objects.get().base
    browser.find("[data-mask-face]").click()
    browser.fill("steps", 1)
    browser.fill("seeds", 1)
    browser.fill("working", 160)
    browser.press("Make candidates")
    browser.find("[data-after]")
    browser.driver.switch_to.active_element.send_keys("y")
    browser.wait(lambda _: browser.find("[data-lay]").is_enabled())
    browser.find("[data-lay]").click()
    browser.wait(lambda _: Layer.objects.filter(kind="touch-up").exists())
    layer = Layer.objects.get(kind="touch-up")
    browser.wait(lambda _: str(layer.pk) in browser.driver.current_url)
    browser.link("Inlay").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.find("[data-add]").click()
    browser.wait(lambda _: "pixel by pixel" in browser.find("[data-preview-says]").text)
    browser.run("document.querySelector('[data-tool=ellipse]').scrollIntoView({block: 'center'})")
    browser.find("[data-tool='ellipse']").click()
    drag(browser, (-40, -60), (90, 120))
    browser.wait(lambda _: [step["kind"] for step in steps(browser)] == ["ellipse"])
    browser.run(
        "const f = document.querySelector('[data-opacity]'); f.value = 60;"
        "f.dispatchEvent(new Event('input', {bubbles: true}))"
    )
    assert browser.barriers() == []
    browser.find("[data-key='fire']").click()
    browser.wait(lambda _: Layer.objects.filter(kind="inlay").exists())
    made = Layer.objects.get(kind="inlay")
    (settings,) = made.recipe["inlays"]
    assert settings["opacity"] == pytest.approx(0.6)
    assert settings["source"] == base.sha256
    covered = RenderedMask(Mask.from_json(settings["mask"]), made.size).read(Box.whole(made.size))
    with canvas_of(made) as result, canvas_of(layer) as under:
        whole = Box.whole(made.size)
        same = (result.read(whole) == under.read(whole)).all(axis=2)
    assert same[covered == 0].all()
    assert not same.all()
    assert browser.complaints() == []


def test_a_protected_face_is_left_as_it_is_by_a_coat(kiln: None, opened: Browser) -> None:
    browser = opened
    Piece.objects.update(faces_kept=[[60, 90, 60, 72, 0]])
    browser.link("Coats").click()
    browser.find("[data-module~='bench'][data-open]")
    browser.run("document.querySelector('[name=protect]').closest('details').open = true")
    browser.run(
        "const f = document.querySelector('[name=protect]'); f.value = 'all faces';"
        "f.dispatchEvent(new Event('input', {bubbles: true}))"
    )
    for name, value in (("steps", 1), ("factor", 1)):
        browser.fill(name, value)
    browser.wait(lambda _: "protect" in json.dumps(Piece.objects.get().schedule_kept or {}))
    # beside the answer that replaces the button
    browser.run("document.querySelector('button[name=do][value=fire]').click()")
    browser.wait(lambda _: Firing.objects.filter(state="done").exists())
    layer = Layer.objects.get(kind="coat")
    protect = layer.recipe["coat"]["refine"]["protect"]
    covered = RenderedMask(Mask.from_json(protect["mask"]), layer.size).read(Box.whole(layer.size))
    with canvas_of(layer) as result, canvas_of(Piece.objects.get().base) as base:
        same = (result.read(Box.whole(layer.size)) == base.read(Box.whole(layer.size))).all(axis=2)
    assert same[covered == 1].all()
    assert same[covered == 0].mean() < 0.5
