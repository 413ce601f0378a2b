"""A coat sent out to the bureau and back, in a real browser."""

from pathlib import Path

import pytest

from enamel.orders.models import SentCoat
from tests.browser.conftest import Browser
from tests.bureau import KEY, Open
from tests.workers import worker

pytestmark = pytest.mark.django_db(transaction=True)


def test_from_an_offer_to_a_layer(signed_in: Browser, bureau_of: Open, picture_file: Path) -> None:
    server = bureau_of()
    browser = signed_in
    piece = browser.bring(picture_file)
    browser.fill("steps", "1")
    kiln = worker(
        "maintenance",
        ENAMEL_BUREAU=f"http://127.0.0.1:{server.server_address[1]}",
        ENAMEL_BUREAU_KEY=KEY,
    )
    try:
        browser.press("Send it out")
        browser.wait(lambda _: browser.find("button[value=order]"))
        offer = browser.find("main")
        assert "Junction Street Bureau offers" in offer.text
        assert "Words: none." in offer.text
        assert browser.barriers() == []
        sent = SentCoat.objects.get()
        # beyond the limit it can't be taken
        browser.fill("limit", "0")
        browser.press("Change")
        browser.find("[role=alert]")
        assert not browser.find("button[value=order]").is_enabled()
        browser.fill("limit", "5")
        browser.press("Change")
        browser.wait(lambda _: not browser.all("[role=alert]"))
        browser.find("button[value=order]").click()
        browser.wait(lambda _: SentCoat.objects.get().state == SentCoat.State.DONE)
        link = browser.wait(lambda _: browser.driver.find_element("link text", "Look at the layer"))
        assert f"Charged: {sent.cents / 100:.2f} EUR" in browser.find("main").text
        assert browser.barriers() == []
        link.click()
        browser.find("[data-module~='bench'][data-open]")
        assert "laid by Junction Street Bureau" in browser.find("main").text
        assert piece.layers.count() == 2
        assert browser.complaints() == []
    finally:
        kiln.terminate()
        kiln.wait(30)
