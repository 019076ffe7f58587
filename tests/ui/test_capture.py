"""The Fleet's filters, views and bulk actions; a file brought in and undone; two snapshots compared."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.ui
SLOW = """end_time,spent,query,user_name
2026-03-02T09:00:00Z,120,SELECT title FROM title WHERE id = 7,maren
2026-03-02T09:00:02Z,soon,SELECT 1,maren
"""


def test_filters_are_counted_and_saved_as_a_view(page: Page) -> None:
    page.goto("/fleet?role=member")
    expect(page.locator("[data-test=count]")).to_have_text("4 of 22 servers")
    expect(page.locator("[data-cluster=kiosk]")).to_contain_text("all see 4 members")
    page.get_by_role("button", name="views").click()
    page.get_by_label("Name of the view").fill("the kiosks")
    page.get_by_role("button", name="Save this view").click()
    expect(page.get_by_role("button", name="the kiosks")).to_be_visible()
    page.goto("/fleet")
    expect(page.locator("[data-test=count]")).to_have_text("22 of 22 servers")
    page.get_by_role("button", name="views").click()
    page.get_by_role("menuitem", name="the kiosks").click()
    expect(page).to_have_url(re.compile("role=member"))
    expect(page.locator("tr[data-row]")).to_have_count(4)
    page.get_by_role("button", name="the kiosks").click()
    page.get_by_role("menuitem", name="Remove the kiosks").click()
    expect(page.get_by_role("button", name="views")).to_be_visible()


def test_chosen_servers_are_labelled_together(page: Page) -> None:
    page.goto("/fleet?search=kiosk")
    expect(page.locator("tr[data-row]")).to_have_count(4)
    page.get_by_label("Choose all that are shown").check()
    page.get_by_label("Label to add").fill("pier")
    page.get_by_role("button", name="Add label").click()
    expect(page.locator("tr[data-row=kiosk-a] .label", has_text="pier")).to_be_visible()
    csrf_token = page.request.get("/api/me").json()["csrf_token"]
    servers = [f"kiosk-{one}" for one in "abcd"]
    body = {"servers": servers, "remove": ["pier"]}
    assert page.request.post("/api/connections/labels", data=body, headers={"x-csrf-token": csrf_token}).ok


def test_a_file_is_previewed_corrected_imported_and_undone(page: Page, tmp_path: Path) -> None:
    (tmp_path / "slow.csv").write_text(SLOW)
    page.goto("/setup/imports")
    page.locator("[data-test=import-file]").set_input_files(tmp_path / "slow.csv")
    look = page.locator("[data-test=import-look]")
    expect(look).to_contain_text("a column for 'how long it took' is needed")
    look.get_by_label("Column of how long it took").select_option("spent")
    look.get_by_label("Unit of how long it took").select_option("ms")
    expect(look).to_contain_text("1 of the first 2 rows would be imported")
    expect(look).to_contain_text("spent is not a duration: soon")
    page.locator("#import-server").fill("east")
    page.locator("[data-test=import-start]").click()
    expect(page.locator("[data-test=import-said]")).to_contain_text("1 accepted, 1 rejected")
    table = page.locator("[data-test=imports]")
    expect(table).to_contain_text("line 3 spent is not a duration: soon")
    table.get_by_role("link", name="east").click()
    expect(page).to_have_url(re.compile("/servers/east.*focus=2026-03-02"))
    expect(page.locator(".lead-sentence")).to_be_visible()
    page.goto("/setup/imports")
    page.locator("[data-undo]").first.click()
    expect(page.locator("[data-test=imports]")).to_contain_text("undone")
    page.goto("/fleet")
    expect(page.locator("tr[data-row]")).to_have_count(22)


def test_two_snapshots_are_compared(page: Page) -> None:
    page.goto("/setup/snapshots?server=desk-b")
    page.locator("[data-test=snapshot-take]").click()
    rows = page.locator("[data-test=snapshots] tbody tr")
    expect(rows).to_have_count(1)
    page.wait_for_timeout(2000)
    page.locator("[data-test=snapshot-take]").click()
    expect(rows).to_have_count(2)
    rows.nth(1).get_by_label(re.compile("First")).check()
    rows.nth(0).get_by_label(re.compile("Second")).check()
    expect(page.locator("[data-test=difference]")).to_contain_text("desk-b over")
    expect(page.locator("[data-test=difference] tbody tr").first).to_contain_text("SELECT")
    expect(page).to_have_url(re.compile(r"first=\d+.*second=\d+|second=\d+.*first=\d+"))
    for _ in range(2):
        rows.first.get_by_role("button", name="Delete").click()
        page.wait_for_timeout(300)
    expect(page.locator("[data-test=snapshots]")).to_have_count(0)
