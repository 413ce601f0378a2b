"""Real Chromium for the commands that look at the running demo."""

import os
from pathlib import Path

from selenium import webdriver

VAR = Path(os.environ.get("ENAMEL_VAR", Path(__file__).resolve().parent.parent / "var"))


def opened() -> webdriver.Chrome:
    """A headless Chromium of 1280 × 800 px, one screen pixel for each CSS pixel."""
    options = webdriver.ChromeOptions()
    for argument in ("--headless=new", "--no-sandbox", "--disable-dev-shm-usage",
                     "--window-size=1280,800", "--force-device-scale-factor=1"):  # fmt: skip
        options.add_argument(argument)
    service = webdriver.ChromeService("/usr/bin/chromedriver")
    driver = webdriver.Chrome(options=options, service=service)
    outer = driver.execute_script("return window.outerHeight - window.innerHeight")
    driver.set_window_size(1280, 800 + outer)
    return driver


def address() -> str:
    """Where the running demo is."""
    return f"http://127.0.0.1:{(VAR / 'run' / 'web.port').read_text().strip()}"
