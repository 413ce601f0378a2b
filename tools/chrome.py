"""Chromium for tests, and for the commands that use the running demo."""

import os
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.common.by import By

VAR = Path(os.environ.get("ENAMEL_VAR", Path(__file__).resolve().parent.parent / "var"))


def start_chromium() -> webdriver.Chrome:
    """Return a Chromium of 1280 × 800 px, with one screen pixel for each CSS pixel.

    Debian's build without windows, which takes two thirds of the processor time of the one with them.
    """
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium-headless-shell"
    for argument in ("--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage",
                     "--window-size=1280,800", "--force-device-scale-factor=1"):  # fmt: skip
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    service = webdriver.ChromeService("/usr/bin/chromedriver")
    return webdriver.Chrome(options=options, service=service)


def scripts_begun(driver: webdriver.Chrome) -> bool:
    """Return whether the scripts of the page have begun: a click before that does nothing."""
    return bool(
        driver.execute_script("return document.documentElement?.dataset.scripts === 'ready'")
        or not driver.find_elements(By.CSS_SELECTOR, "script[src*='main']")
    )


def address() -> str:
    """Return the address of the running demo."""
    return f"http://127.0.0.1:{(VAR / 'run' / 'web.port').read_text().strip()}"
