"""Real Chromium, a live server, a kiln in a separate process."""

import json
import subprocess
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files import File
from django.test import Client
from pytest_django.live_server_helper import LiveServer
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support import expected_conditions as expect

from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Piece
from tests.pictures import STATIONMASTER
from tests.workers import queue_is_empty, wait_for, worker
from tools.chrome import scripts_begun, start_chromium

PATIENCE = 180
KILNS: list[subprocess.Popen[bytes]] = []
"""Kilns that are running: none or one."""
AXE = Path(__file__).parents[2] / "node_modules" / "axe-core" / "axe.min.js"


class Browser:
    """Chromium with the words a test needs."""

    def __init__(self, driver: webdriver.Chrome, address: str, downloads: Path) -> None:
        self.driver = driver
        self.address = address
        kept = {"behavior": "allow", "downloadPath": str(downloads)}
        driver.execute_cdp_cmd("Browser.setDownloadBehavior", kept)
        self.complaints()  # those of the test before

    def open(self, path: str = "/") -> None:
        self.driver.get(self.address + path)
        self.settle()

    def settle(self) -> None:
        """Wait until the page's scripts have begun."""
        self.wait(scripts_begun)

    def bring(self, path: Path) -> Piece:
        """A picture as a piece that is ready to be looked at, made here: most tests are not about
        importing, and a kiln that starts for it takes longer than they do."""
        with path.open("rb") as file:
            piece = library.import_picture(User.objects.get(), File(file), path.name)
        store.prepare(piece.base)
        self.open(piece.get_absolute_url())
        self.find("[data-module~='bench'][data-open]")
        return piece

    def find(self, selector: str, seconds: float = PATIENCE) -> WebElement:
        """The first such element, once it is there and visible."""
        visible = expect.visibility_of_element_located((By.CSS_SELECTOR, selector))
        found: WebElement = self.wait(visible, seconds)
        self.settle()
        return found

    def all(self, selector: str) -> list[WebElement]:
        """All such elements that are there now."""
        return self.driver.find_elements(By.CSS_SELECTOR, selector)

    def wait(self, condition: Any, seconds: float = PATIENCE) -> Any:
        """What the condition returns once that is true. It is asked more and more seldom: asking makes the
        browser work, and long waits are for the kiln, which needs the processor."""
        end, pause = time.monotonic() + seconds, 0.05
        while True:
            # while a page gives way to the next, the driver may complain in many ways
            with suppress(WebDriverException):
                found = condition(self.driver)
                if found:
                    return found
            if time.monotonic() > end:
                pytest.fail(f"waited {seconds} s in vain")
            time.sleep(pause)
            pause = min(0.5, pause * 1.4)

    def button(self, words: str) -> WebElement:
        self.settle()
        return self.driver.find_element(
            By.XPATH, f"//button[contains(normalize-space(.), '{words}')]"
        )

    def link(self, words: str) -> WebElement:
        self.settle()
        return self.driver.find_element(By.PARTIAL_LINK_TEXT, words)

    def press(self, words: str) -> None:
        """Click the button with these words, again if the page replaced it between finding and clicking."""
        self.settle()
        for _ in range(5):
            with suppress(StaleElementReferenceException):
                self.button(words).click()
                return
        self.button(words).click()

    def fill(self, name: str, value: object) -> None:
        field = self.find(f"[name='{name}']")
        self.run("arguments[0].scrollIntoView({block: 'center'}); arguments[0].select()", field)
        field.send_keys(str(value))

    def number(self, name: str) -> int:
        """What a number field holds."""
        return int(self.find(f"[name='{name}']").get_attribute("value") or 0)

    def run(self, script: str, *arguments: Any) -> Any:
        return self.driver.execute_script(script, *arguments)

    def complaints(self) -> list[str]:
        """What the browser itself found wrong: errors, and breaches of the content policy."""
        return [
            entry["message"]
            for entry in self.driver.get_log("browser")  # type: ignore[no-untyped-call]
            if entry["level"] == "SEVERE"
        ]

    def barriers(self) -> list[str]:
        """What axe-core holds against the page (WCAG 2 A and AA)."""
        self.run(AXE.read_text())
        found = self.driver.execute_async_script(
            "const done = arguments[0];"
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(done)"
        )
        return [
            f"{entry['id']}: {json.dumps([node['html'][:120] for node in entry['nodes']])}"
            for entry in found["violations"]
        ]


@pytest.fixture(scope="session")
def chromium() -> Iterator[webdriver.Chrome]:
    """One for all tests: starting it takes longer than many of them."""
    driver = start_chromium()
    # the picture viewer draws without a pause, which takes a fifth of a core at 60 frames a second; at 7,
    # a third less of the tests' time goes into Chromium
    slower = (
        "window.requestAnimationFrame = (draw) => setTimeout(() => draw(performance.now()), 150);"
    )
    slower += "window.cancelAnimationFrame = clearTimeout;"
    driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": slower})
    yield driver
    driver.quit()


@pytest.fixture
def browser(
    chromium: webdriver.Chrome, live_server: LiveServer, tmp_path: Path
) -> Iterator[Browser]:
    yield Browser(chromium, live_server.url, tmp_path)
    # nothing of this test is left for the next one
    if KILNS:
        wait_for(queue_is_empty, PATIENCE, "the kiln's last jobs")
    chromium.get("about:blank")
    chromium.delete_all_cookies()
    everything = {"origin": live_server.url, "storageTypes": "all"}
    chromium.execute_cdp_cmd("Storage.clearDataForOrigin", everything)


@pytest.fixture(scope="module")
def running_kiln(django_db_setup: None) -> Iterator[None]:
    """One for all tests of a module: it starts for seconds, and keeps its networks loaded."""
    process = worker()
    KILNS.append(process)
    yield
    KILNS.remove(process)
    process.terminate()
    process.wait(30)


@pytest.fixture
def kiln(running_kiln: None, live_server: LiveServer) -> None:
    """A kiln that works on what the test enqueues."""


@pytest.fixture
def signed_in(browser: Browser, transactional_db: None) -> Browser:
    """At the list of pieces, signed in by the cookie that signing in gives."""
    client = Client()
    client.force_login(
        User.objects.create_user("kestrel-vale"), settings.AUTHENTICATION_BACKENDS[-1]
    )
    cookie = {"name": settings.SESSION_COOKIE_NAME, "url": browser.address}
    value = client.cookies[settings.SESSION_COOKIE_NAME].value
    browser.driver.execute_cdp_cmd("Network.setCookie", cookie | {"value": value})
    browser.open()
    browser.find("#files")
    return browser


@pytest.fixture
def face_file(tmp_path: Path) -> Path:
    """The stationmaster's face, small."""
    path = tmp_path / "face.png"
    with PIL.Image.open(STATIONMASTER) as image:
        image.crop((200, 130, 680, 770)).resize((240, 320)).save(path)
    return path
