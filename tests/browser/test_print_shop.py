"""From a layer to a print that the shop accepts, and one that it refuses, in a real browser."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from django.conf import settings as site

from enamel.library.models import Piece
from enamel.orders.models import ShopOrder
from enamel.prints.models import PrintFile
from tests.browser.conftest import Browser
from tests.shop import opened
from tests.workers import worker

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def shop(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A shop that the pages and a kiln of its own know; busy at first."""
    with opened(tmp_path, busy=1) as (_, server):
        address = f"http://127.0.0.1:{server.server_address[1]}"
        monkeypatch.setattr(site, "PRINT_SHOP", address)
        monkeypatch.setenv("ENAMEL_PRINT_SHOP", address)
        process = worker()
        yield
        process.terminate()
        process.wait(30)


def choose(browser: Browser, name: str, value: str) -> None:
    browser.run(
        "const f = document.querySelector(`[name=${arguments[0]}]`); f.value = arguments[1];"
        "f.dispatchEvent(new Event('input', {bubbles: true}))",
        name, value,
    )  # fmt: skip


def task(browser: Browser, words: str) -> None:
    links = browser.all("nav[aria-label='Task'] a")
    next(link for link in links if link.text == words).click()
    browser.find("[data-module~='bench'][data-open]")


def sent(browser: Browser, paper: str) -> str:
    """The newest file sent to the shop on a paper; what the shop came to."""
    before = ShopOrder.objects.count()
    browser.run("document.querySelector('[data-print-file] details').open = true")
    browser.run(
        "document.querySelector('[data-print-file] [name=paper]').value = arguments[0]", paper
    )
    browser.run("document.querySelector('[data-print-file] details button').click()")
    browser.wait(lambda _: ShopOrder.objects.count() > before)
    browser.wait(lambda _: not ShopOrder.objects.first().open)  # type: ignore[union-attr]
    browser.wait(lambda _: "/shop/" in browser.driver.current_url)
    browser.wait(lambda _: browser.all("img[src*='proof']"))
    return browser.find("main").text


def written(browser: Browser, count: int) -> None:
    browser.press("Write the print file")
    browser.wait(lambda _: PrintFile.objects.filter(state="done").count() == count)
    browser.wait(lambda _: len(browser.all("[data-print-file]:not([data-open]) a[href]")) >= count)


def test_from_a_layer_to_an_accepted_print_and_a_refused_one(
    signed_in: Browser, shop: None, face_file: Path
) -> None:
    browser = signed_in
    browser.bring(face_file)
    # a small card with bleed, so that the base's own pixels are enough
    task(browser, "Print")
    browser.run("document.querySelector('[name=fit][value=fill]').click()")
    for name, value in (("width", "15 mm"), ("height", "20 mm"), ("bleed", "3 mm")):
        browser.fill(name, value)
    browser.wait(lambda _: Piece.objects.get().print_plan.target.bleed.top == 3)
    task(browser, "File")
    sheet = browser.find("[data-sheet-view] svg[role=img]")
    assert "15 × 20 mm after trimming" in (sheet.get_attribute("aria-label") or "")
    assert "Enough pixels" in browser.find("[data-sheet-view]").text
    assert browser.barriers() == []
    choose(browser, "format", "pdf")
    choose(browser, "profile", "coated")
    browser.wait(lambda _: ".pdf" in browser.find("[data-part='cost']").text)
    browser.wait(lambda _: "of ink on one place" in browser.find("[data-sheet-view]").text)
    # the proof: other tiles in the same place
    browser.find("button[data-look=proof]").click()
    asked = (
        "performance.getEntriesByType('resource').filter(e => e.name.includes('/proof/')).length"
    )
    browser.wait(lambda _: browser.run(f"return {asked}") > 0)
    assert not browser.all("[data-sheet-view]")[0].is_displayed()
    written(browser, 1)
    words = sent(browser, "satin")
    assert "Accepted" in words
    assert "EUR" in words
    assert "Bleed, mm" in words
    assert browser.barriers() == []
    # the same without bleed
    browser.driver.get(f"{browser.address}{Piece.objects.get().get_absolute_url()}?task=print")
    browser.find("[data-module~='bench'][data-open]")
    browser.fill("bleed", "0")
    browser.wait(lambda _: Piece.objects.get().print_plan.target.bleed.top == 0)
    task(browser, "File")
    assert "The least bleed is 0 mm" in browser.find("[data-sheet-view]").text
    choose(browser, "format", "pdf")
    browser.wait(lambda _: ".pdf" in browser.find("[data-part='cost']").text)
    written(browser, 2)
    refused = sent(browser, "matte")
    assert "Refused" in refused
    assert "0.0 mm of bleed; on Matte" in refused
    assert ShopOrder.objects.filter(state="accepted").count() == 1
    assert browser.complaints() == []
