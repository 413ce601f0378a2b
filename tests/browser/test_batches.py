"""Batch in real Chromium: chosen, begun, put in order, watched, compared in pairs."""

import time

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

from enamel.batches.models import Batch, BatchItem
from enamel.firings import services as firings
from enamel.firings.models import SchedulePreset
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Piece
from tests.browser.conftest import Browser
from tests.schedules import coat
from tests.workers import worker

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def three(signed_in: Browser, face_file: object) -> list[Piece]:
    """Three pieces of one face, and a schedule preset that is fired in a moment."""
    first = signed_in.bring(face_file)  # type: ignore[arg-type]
    SchedulePreset.objects.create(
        owner=first.owner, name="In a moment", schedule=coat(1.5, steps=1).to_json()
    )
    twins = [library.duplicate(first) for _ in range(2)]
    for number, twin in enumerate(twins, 2):
        twin.title = f"Candidate {number}"
        twin.save(update_fields=["title"])
        store.prepare(twin.base)
    return [first, *twins]


def test_chosen_begun_put_in_order_watched_and_compared(
    signed_in: Browser, three: list[Piece]
) -> None:
    browser = signed_in
    browser.open("/")
    browser.link("fire these as a batch").click()
    browser.find("[data-predicted] dl")
    assert browser.find("[data-chosen]").text == "3"
    browser.fill("name", "Posters")
    Select(browser.find("[name=schedule]")).select_by_visible_text("In a moment")
    browser.wait(lambda _: "3 pictures" in browser.find("[data-predicted]").text)
    assert not browser.barriers()
    browser.press("Start")
    browser.find("[data-scrolls=pairs]")
    batch = Batch.objects.get()
    browser.wait(lambda _: len(browser.all("[data-move]")) == 3)

    # the last one is moved to the front by key and stays there in focus while the page goes on living
    browser.run("[...document.querySelectorAll('[data-move]')].at(-1).focus()")
    for _ in range(2):
        ActionChains(browser.driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_LEFT).key_up(
            Keys.SHIFT
        ).perform()
    last = BatchItem.objects.get(piece=three[0])  # the newest piece is listed first
    browser.wait(lambda _: batch.items.waiting().first() == last)
    assert browser.run("return document.activeElement.dataset.focus") == f"place-{last.pk}"
    assert not browser.barriers()

    kiln = worker()
    try:
        browser.wait(lambda _: "3 of 3 done" in browser.find("[role=status]").text)
    finally:
        kiln.terminate()
        kiln.wait(30)
    browser.wait(lambda _: len(browser.all("[data-scrolls=pairs] img")) == 6)
    began = [item.piece for item in batch.items.order_by("begun")]
    assert began[0] == three[0]

    browser.run("document.querySelector('[data-focus^=pair-]').click()")
    browser.find("[data-canvas]")
    browser.find("body").send_keys("b")  # blink
    browser.wait(lambda _: "way=blink" in browser.driver.current_url)
    here = browser.driver.current_url
    browser.find("body").send_keys("k")
    browser.wait(lambda _: browser.driver.current_url.split("?")[0] != here.split("?")[0])
    assert "way=blink" in browser.driver.current_url
    assert "2 of 3" in browser.find("header").text
    assert not browser.complaints()


def test_the_kilns_page_lives(signed_in: Browser, three: list[Piece]) -> None:
    browser = signed_in
    browser.open("/kiln/")
    assert "No worker is running for firings" in browser.find("main").text
    for piece in three:
        firings.enqueue_schedule(piece.base, coat(1.5, steps=1))
    browser.wait(lambda _: len(browser.all("[data-move]")) == 3)
    assert not browser.barriers()
    browser.run(
        """const [to, , from] = document.querySelectorAll("[data-move]");
        const data = new DataTransfer();
        const steps = { dragstart: from, dragover: to, drop: to, dragend: from };
        for (const [name, where] of Object.entries(steps)) {
          where.dispatchEvent(new DragEvent(name, { bubbles: true, cancelable: true, dataTransfer: data }));
        }"""
    )
    first = three[2].title
    browser.wait(lambda _: first in browser.all("[data-move]")[0].text)
    browser.run("document.querySelector('[data-move] [data-focus^=pause-]').click()")
    browser.wait(lambda _: "Paused at" in browser.find("main").text)
    kiln = worker()
    try:
        browser.wait(lambda _: len(browser.all("[data-focus^=show-]")) == 2)
        browser.wait(lambda _: "idle" in browser.find("main").text)
    finally:
        kiln.terminate()
        kiln.wait(30)
    assert not browser.complaints()


def test_news_come_without_being_asked_for(
    signed_in: Browser, served: str, three: list[Piece]
) -> None:
    """Served as it is in earnest, a page that nothing happens on asks for nothing."""
    browser = signed_in
    browser.address = served
    browser.open()
    browser.press("Enter the Kestrel Vale print shop")
    browser.find("#files")
    browser.open("/kiln/")
    time.sleep(4)
    asked = (
        "return performance.getEntriesByType('resource')"
        ".filter((one) => one.name.includes('part=1')).length"
    )
    before = browser.run(asked)
    time.sleep(5)
    assert browser.run(asked) == before
    firings.enqueue_schedule(three[0].base, coat(1.5, steps=1))
    browser.wait(lambda _: len(browser.all("[data-move]")) == 1, 6)
    assert not browser.complaints()
