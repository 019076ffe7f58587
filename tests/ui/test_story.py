"""The whole loop in the browser: from a busy server to a proven recommendation and its report."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.ui, pytest.mark.timeout(900)]
TRIAL_MS = 150_000


def test_from_a_busy_server_to_a_proven_recommendation(page: Page) -> None:
    # notice
    page.goto("/")
    expect(page.locator("tr[data-row]")).to_have_count(22)
    first = page.locator("tr[data-row]").first
    # every quarter of an hour a chain of locks is worse for some minutes
    expect(first).to_have_attribute("data-row", "desk-a", timeout=300_000)
    expect(first).to_contain_text(re.compile(r"[\d.]+× usual, reading data, since \d\d:\d\d"))
    first.click()
    # locate
    expect(page).to_have_url(re.compile("/servers/desk-a"))
    expect(page.locator("[data-test=sentence]")).to_contain_text("worked as usual until")
    expect(page.locator("[data-test=sentence]")).to_contain_text("reading data")
    # frame the bump on the tape, compare with yesterday
    frame = page.locator('[data-window="focus"] .body').bounding_box()
    assert frame is not None
    svg = page.locator("section.tape svg")
    box = svg.bounding_box()
    assert box is not None
    page.mouse.dblclick(box["x"] + box["width"] - 60, box["y"] + 40)
    expect(page).to_have_url(re.compile("focus=20"))
    page.get_by_role("button", name=re.compile("compared with")).click()
    page.get_by_text("Same time yesterday").click()
    expect(page).to_have_url(re.compile("reference=20"))
    # explain: where the time goes
    page.get_by_role("navigation", name="Screens").get_by_role("link", name="Ledger").click()
    expect(page.locator("[data-test=sentence]")).to_contain_text("data read")
    top = page.locator("[data-row]").first
    assert top.get_attribute("data-row") == "data read"
    assert float(top.locator("td").nth(6).inner_text().rstrip("×")) > 2
    page.get_by_label("Entries by").select_option("statement")
    heaviest = page.locator("[data-row] a").first
    expect(heaviest).to_contain_text("SELECT h.id, h.patron_id")
    heaviest.click()
    # the statement, its figures against the reference, its executions, its finding
    expect(page.locator("[data-test=sentence]")).to_contain_text("× the reference")
    expect(page.get_by_text("per row returned", exact=True)).to_be_visible()
    expect(page.get_by_text("Executions above the capture threshold")).to_be_visible()
    finding = page.locator("[data-cause=missing_index]")
    expect(finding).to_contain_text("Missing index on hold_request (title_id, state, placed_at)")
    expect(finding).to_contain_text("CREATE INDEX")
    expect(finding).to_contain_text("DROP INDEX")
    expect(finding).to_contain_text("log to write")
    statement = page.url
    # the plan: a scan of a large table, with own time
    page.locator("[data-test=plan-link]").first.click()
    expect(page.locator("[data-test=sentence]")).to_contain_text("read all of hold_request")
    expect(page.locator("[data-test=steps] tbody tr")).to_have_count(5)
    page.get_by_label("Index to imagine").fill("hold_request (title_id, state)")
    page.get_by_role("button", name="Ask desk-a").click()
    expect(page.get_by_text(re.compile("With the change: .* instead of"))).to_be_visible()
    # trial
    page.goto(statement)
    page.locator("[data-test=try-it]").click()
    expect(page.locator("[data-test=start]")).to_be_visible()
    expect(page.get_by_text("index on hold_request (title_id, state, placed_at)", exact=True)).to_be_visible()
    page.locator("#seconds").fill("15 s")
    page.get_by_label("Blocks").fill("4")
    page.locator("[data-test=start]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    expect(page.get_by_role("progressbar")).to_be_visible()
    expect(page.get_by_role("progressbar")).to_have_count(0, timeout=TRIAL_MS)
    verdict = page.locator("[data-test=verdict]")
    expect(verdict).to_contain_text("With index is plainly better")
    expect(verdict).to_contain_text("is met")
    expect(page.locator("svg.dots circle")).to_have_count(8)
    expect(page.get_by_role("columnheader", name="95% interval")).to_be_visible()
    # report
    page.goto("/servers/desk-a")
    page.locator("[data-test=report]").click()
    report = page.frame_locator("iframe[data-test=report]")
    expect(report.get_by_role("heading", name="Findings")).to_be_visible()
    expect(report.get_by_text("With index is plainly better").first).to_be_visible()
    with page.expect_download() as download:
        page.locator("[data-test=download]").first.click()
    assert download.value.suggested_filename.endswith(".html")


def test_two_settings_of_a_real_sqlite_file(page: Page) -> None:
    page.goto("/trials")
    page.locator("[data-test=new-trial]").click()
    page.locator("[data-test=sample]").click()
    page.locator("[data-test=goal]").fill("50 parsecs")
    page.locator("[data-test=start]").click()
    expect(page.get_by_role("alert")).to_contain_text("goal.at_most")
    page.locator("[data-test=goal]").fill("20 ms")
    page.locator("#seconds").fill("1 s")
    page.get_by_label("Blocks").fill("2")
    page.locator("[data-test=start]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    expect(page.get_by_role("progressbar")).to_be_visible()
    expect(page.get_by_role("progressbar")).to_have_count(0, timeout=TRIAL_MS)
    expect(page.locator("[data-test=verdict]")).to_contain_text(re.compile("plainly|No difference shown"))
    expect(page.locator("svg.dots circle")).to_have_count(4)
    expect(page.get_by_text("does not report what its sessions wait for")).to_be_visible()


def test_a_running_trial_can_be_stopped(page: Page) -> None:
    page.goto("/trials/new")
    page.locator("[data-test=sample]").click()
    page.locator("#seconds").fill("30 s")
    page.locator("[data-test=start]").click()
    page.locator("[data-test=stop]").click()
    expect(page.get_by_text(re.compile("^stopped: "))).to_be_visible(timeout=60_000)
