"""The whole loop in the browser: from a busy server to a proven recommendation and its report."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.ui, pytest.mark.timeout(900)]


def test_from_a_busy_server_to_a_proven_recommendation(page: Page) -> None:
    # notice
    page.goto("/")
    expect(page.locator("tr[data-row]")).to_have_count(22)
    first = page.locator("tr[data-row]").first
    # every quarter of an hour a chain of locks is worse for some minutes
    expect(first).to_have_attribute("data-row", "desk-a")
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
    expect(page.locator("[data-test=index-table]")).to_have_value("hold_request")
    expect(page.locator("[data-test=index-columns]")).to_have_value("title_id, state, placed_at")
    page.locator("#seconds").fill("8 s")
    page.get_by_label("Blocks").fill("4")
    page.locator("[data-test=start]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    expect(page.get_by_role("progressbar")).to_be_visible()
    expect(page.get_by_role("progressbar")).to_have_count(0)
    verdict = page.locator("[data-test=verdict]")
    expect(verdict).to_contain_text("With index is plainly better")
    expect(verdict).to_contain_text("is met")
    expect(page.locator("[data-test=expected]")).to_contain_text("as expected")
    page.get_by_role("link", name="All expectations").click()
    expect(page.locator(".lead-sentence")).to_contain_text(re.compile(r"held in \d+ of \d+ trial"))
    expect(page.get_by_text("Index on hold_request").first).to_be_visible()
    page.go_back()
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
    page.locator("[data-test=arrival]").select_option("open")
    page.locator("[data-test=rate]").fill("200 /s")
    page.locator("#seconds").fill("6 s")
    page.get_by_label("Blocks").fill("2")
    page.locator("[data-test=start]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    expect(page.get_by_role("progressbar")).to_be_visible()
    live = page.locator("[data-test=live]")
    expect(live).to_contain_text(re.compile(r"Run \d goes on: .*, second [2-6] of 6"))
    expect(live.locator("svg[data-of='executions that ended'] path")).to_have_count(1)
    live.get_by_text("mean duration", exact=True).first.click()
    expect(live.locator("svg[data-of='mean duration']")).to_have_count(0)
    expect(live.locator("svg[data-of='processor busy']")).to_be_visible()
    expect(page.get_by_role("progressbar")).to_have_count(0)
    expect(page.locator("[data-test=verdict]")).to_contain_text(re.compile("plainly|No difference shown"))
    expect(page.locator("svg.dots circle")).to_have_count(4)
    expect(page.get_by_text("does not report what its sessions wait for")).to_be_visible()
    lines = page.locator("[data-test=duration-curves] path")
    expect(lines).to_have_count(2)
    expect(page.locator("[data-of=ended] path")).to_have_count(2)
    assert not page.evaluate("document.documentElement.scrollHeight > window.innerHeight"), "it scrolls inside"
    assert not Axe().run(page, options={"runOnly": ["wcag2a", "wcag2aa"]}).response["violations"]
    page.locator("[data-test=in-detail] label").first.click()
    expect(lines).to_have_count(1)
    rows = page.locator("[data-test=statement-figures] tbody tr")
    assert rows.count() >= 2 and "control" in rows.first.inner_text()
    page.get_by_text("every run").click()
    with page.expect_download() as download:
        page.locator("[data-test=executions-csv]").click()
    assert Path(download.value.path()).read_text(encoding="utf-8").startswith("run,block,arm,")


def test_a_running_trial_can_be_stopped(page: Page) -> None:
    page.goto("/trials/new")
    page.locator("[data-test=sample]").click()
    page.locator("#seconds").fill("30 s")
    page.locator("[data-test=start]").click()
    page.locator("[data-test=stop]").click()
    expect(page.get_by_text(re.compile("^stopped: "))).to_be_visible()


FILE = """
kind: sweep
title: Cache of the desk's file
goal: {metric: throughput, at_least: 10 /s}
target: {sample: library}
workload:
  arrival: {workers: 1}
  statements: [{sql: "SELECT count(*) FROM loan WHERE due_day < 700"}]
sweep: {setting: cache_size, values: [10, 200, 4000]}
run: {seconds: 1 s, blocks: 2}
"""


def test_a_trial_of_any_kind_from_its_file(page: Page) -> None:
    page.goto("/trials/new")
    written = page.locator("[data-test=trial-file]")
    for text, wrong in (
        ("kind: [", "This is no trial"),
        ("nothing", "begins with its kind"),
        (FILE.replace("sweep:", "swep:"), "swep"),
    ):
        written.fill(text)
        page.locator("[data-test=look-at-plan]").click()
        expect(page.get_by_role("alert")).to_contain_text(wrong)
    written.fill(FILE)
    page.locator("[data-test=look-at-plan]").click()
    expect(page.locator("[data-test=trial-plan]")).to_contain_text("6 runs of 1.00 s")
    expect(page.locator("[data-test=trial-plan]")).to_contain_text("cache_size = 4000")
    page.locator("[data-test=start-file]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    expect(page.get_by_role("progressbar")).to_have_count(0)
    expect(page.locator("[data-test=kind-table] tbody tr")).to_have_count(3)
    expect(page.locator("[data-test=verdict]")).to_contain_text("cache_size")
