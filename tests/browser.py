"""A real browser without a window, with the driver that is installed: nothing is fetched."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest

from conftest import needs

_FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-sync",
    "--disable-background-networking", "--disable-component-update", "--disable-quic",
    "--window-size=1280,800", "--lang=en",
)  # fmt: skip


@contextmanager
def headless() -> Iterator[Any]:
    """A browser; the test is skipped where it, or its driver, is not installed."""
    selenium = pytest.importorskip("selenium.webdriver")
    for program in ("chromium", "chromedriver"):
        needs(program)
    options = selenium.ChromeOptions()
    options.binary_location = str(shutil.which("chromium"))
    for flag in _FLAGS:
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    service = selenium.ChromeService(shutil.which("chromedriver"))
    driver = selenium.Chrome(options=options, service=service)
    try:
        yield driver
    finally:
        driver.quit()
