"""Debian's headless Chromium under Selenium, for the journeys and the pictures."""

from __future__ import annotations

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

QUIET = (
    "--no-sandbox",  # root has no other way
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
    "--disable-features=RenderDocument",  # a page need not be begun twice: a sixth of its time
)


def chromium(
    width: int = 1280, height: int = 800, accepts: str = "", camera: str = ""
) -> webdriver.Chrome:
    """A fresh browser with a page of exactly this size; below 500 px wide it is a phone. One that
    ``accepts`` certificates goes on past the warning, as a person would; one with a ``camera`` sees
    that film (mjpeg) over and over, and lets pages look."""
    options = Options()
    options.binary_location = "/usr/lib/chromium/chromium-headless-shell"
    for argument in QUIET:
        options.add_argument(argument)
    if camera:
        options.add_argument("--use-fake-device-for-media-stream")
        options.add_argument("--use-fake-ui-for-media-stream")
        options.add_argument(f"--use-file-for-fake-video-capture={camera}")
    options.accept_insecure_certs = accepts == "certificates"
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    browser = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    resize(browser, width, height)
    return browser


def resize(browser: webdriver.Chrome, width: int, height: int) -> None:
    metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 500}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    browser.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": width < 500})
