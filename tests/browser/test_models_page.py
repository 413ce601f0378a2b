"""The models page in real Chromium: trials, importing, switching off, deleting."""

from pathlib import Path

from enamel.catalogue.models import Model, Trial
from enamel.core.networks.cards import own_folder
from tests.browser.conftest import Browser
from tests.core.test_onnx_upscalers import network

SHARP_CROPS = """
    const images = [...document.querySelectorAll('#soft img')];
    return images.length === 3 && images.every((image) =>
        image.complete && image.naturalWidth === image.clientWidth);
"""


def test_import_try_switch_off_delete(signed_in: Browser, kiln: None, tmp_path: Path) -> None:
    browser = signed_in
    for shipped in Model.objects.available():  # their trials would take minutes
        done = {"state": Trial.State.DONE, "rate": 1.0}
        Trial.objects.create(model=shipped, sha256=shipped.card.digest, **done)
    browser.link("Models").click()
    browser.find("#grisaille")
    assert browser.driver.find_element("css selector", "h1").text == "Models"
    file = browser.find("#add-model [type='file']")
    file.send_keys(str(network(tmp_path / "soft.onnx")))
    browser.fill("summary", "Soft skies.")
    browser.press("Test and add")
    browser.wait(lambda _: "added as soft" in browser.find("[aria-label='Uploads']").text)
    browser.wait(lambda _: "Soft skies." in browser.find("#soft").text)

    # its trial arrives by itself, pixel for pixel
    browser.wait(lambda _: "MP/s" in browser.find("#soft").text)
    browser.run("document.querySelector('#soft').scrollIntoView()")
    browser.wait(lambda _: browser.run(SHARP_CROPS))

    # off, and on again
    browser.run("document.querySelector('[aria-label=\"Switch off soft\"]').click()")
    browser.wait(lambda _: "not offered" in browser.find("#soft").text)
    assert not Model.objects.get(name="soft").on
    assert browser.barriers() == []

    browser.run("document.querySelector('[aria-label=\"Delete soft\"]').click()")
    browser.wait(lambda _: "soft is deleted" in browser.find("[role='status']").text)
    assert not browser.driver.find_elements("css selector", "#soft")
    folder = own_folder()
    assert folder is not None
    assert not list(folder.glob("soft*"))

    # a file that is no network: the reason, and nothing added
    broken = tmp_path / "broken.onnx"
    broken.write_bytes(b"no graph")
    browser.find("#add-model [type='file']").send_keys(str(broken))
    browser.press("Test and add")
    shown = "[aria-label='Uploads']"
    browser.wait(lambda _: "not an ONNX file" in browser.find(shown).text)
    assert browser.barriers() == []
    assert browser.complaints() == []
