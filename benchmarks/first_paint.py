"""The first screen with a cold cache, in Chromium: when its first row is there, and what scripts it took."""

from __future__ import annotations

from statistics import median
from typing import Any

from playwright.sync_api import Browser, sync_playwright
from tests.ui.conftest import ARGS

from benchmarks.goals import Goals, at_most

ROUNDS = 5
ROW = "[data-row]"
GOALS: Goals = {"first useful paint, s": at_most(1.0), "scripts on the first screen, kB compressed": at_most(250)}
SCRIPTS = """() => performance.getEntriesByType('resource').filter(one => one.name.endsWith('.js'))
  .reduce((sum, one) => sum + one.encodedBodySize, 0)"""


def measure(address: str) -> dict[str, float]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        found = [_once(browser, address) for _ in range(ROUNDS)]
        browser.close()
    return {
        "first useful paint, s": median(seconds for seconds, _ in found),
        "scripts on the first screen, kB compressed": found[-1][1] / 1000,
    }


def _once(browser: Browser, address: str) -> tuple[float, float]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    assert context.request.post("/api/sign-in/demo").ok
    page = context.new_page()
    page.goto("/", wait_until="commit")
    page.locator(ROW).first.wait_for()
    seen: Any = page.evaluate("performance.now()")
    page.wait_for_load_state("networkidle")
    size: Any = page.evaluate(SCRIPTS)
    context.close()
    return float(seen) / 1000, float(size)
