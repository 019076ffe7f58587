"""A page in Chromium on the built application with the demo's data."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from tests.patience import PATIENT_MS

ARGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=PATIENT_MS)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        yield started
        started.close()


@pytest.fixture
def context(browser: Browser, demo: str) -> Iterator[BrowserContext]:
    made = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=demo, color_scheme="light")
    made.set_default_timeout(PATIENT_MS)
    assert made.request.post("/api/sign-in/demo").ok
    yield made
    made.close()


@pytest.fixture
def page(context: BrowserContext) -> Iterator[Page]:
    """Fails the test when the page reports an error of its own."""
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    yield made
    assert errors == []
