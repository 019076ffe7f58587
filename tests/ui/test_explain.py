"""The screens between "something is unusual" and "this is why": from a finding to its figures and on, holdups, changes, two sides, now."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.ui, pytest.mark.timeout(420)]


def sentence(page: Page) -> str:
    where = page.locator("[data-test=sentence]")
    expect(where).not_to_be_empty()
    return where.inner_text()


def test_from_a_finding_to_its_figures_and_to_the_ledger(page: Page) -> None:
    page.goto("/findings?scope=desk-a")
    link = page.locator("[data-test=detail]").get_by_role("link", name="its figures").first
    expect(link).to_be_visible()
    link.click()
    expect(page).to_have_url(re.compile(r"/strips\?.*finding=\d+"))
    bands = page.locator("[data-test=band]")
    expect(bands.first).to_be_visible()
    before = bands.count()
    assert before >= 3
    page.locator("[data-test=add-figure]").fill("log written")
    page.get_by_role("button", name="desk-a: Log written").click()
    expect(bands).to_have_count(before + 1)
    expect(page).to_have_url(re.compile(r"band=figure(:|%3A)desk-a"))
    page.get_by_text("Two of them against each other").click()
    expect(page.locator("[data-test=against]")).to_contain_text("of desk-a")
    page.get_by_role("link", name="Ledger", exact=True).last.click()
    expect(page).to_have_url(re.compile(r"/ledger"))


def test_a_colleagues_link_shows_the_same_strips(page: Page) -> None:
    page.goto(
        "/strips?scope=desk-a&band=figure:desk-a:response_s&band=family:desk-a:data+read&band=cluster:desk:active_sessions"
    )
    titles = page.locator("[data-test=band] .title")
    expect(titles).to_have_text(
        ["desk-a: Time per call", "desk-a: active sessions: data read", "desk: Active sessions"]
    )
    page.get_by_role("textbox", name="Name of the set").fill("reading at the desk")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("textbox", name="Name of the set")).to_have_value("")  # once it is saved
    page.goto("/strips")
    page.locator("[data-test=saved-sets]").click()
    page.get_by_text("reading at the desk").click()
    expect(titles).to_have_count(3)


def test_a_chain_of_locks_an_hour_later(page: Page) -> None:
    page.goto("/holdups?scope=reserve-a&focus=PT2H")
    assert "waited" in sentence(page) and "reserve-a" in sentence(page)
    lanes = page.locator("[data-test=lane]")
    expect(lanes.first).to_contain_text("held it")
    assert lanes.count() > 2
    page.get_by_role("combobox", name="Service").select_option("returns")
    expect(page).to_have_url(re.compile(r"filter\.service=returns"))
    expect(lanes.first).to_be_visible()
    page.get_by_role("button", name="frame it on the tape").click()
    expect(page).to_have_url(re.compile(r"focus=\d{4}-"))


def test_a_change_and_what_followed(page: Page) -> None:
    page.goto("/changes?scope=desk-a&focus=PT3H&search=dropped")
    page.get_by_role("row", name=re.compile("dropped")).first.click()
    followed = page.locator("[data-test=followed]")
    expect(followed).to_contain_text("Pages read")
    expect(followed).to_contain_text(re.compile(r"[\d.]+× \([\d.]+ to [\d.]+\)"))
    assert "figures are different" in sentence(page)


def test_a_deployment_is_noted_and_taken_back(page: Page) -> None:
    page.goto("/changes?scope=member-a&focus=PT1H")
    page.get_by_role("textbox", name="What changed").fill("patrons service 9.1")
    page.locator("[data-test=note]").get_by_role("button", name="Save").click()
    row = page.get_by_role("row", name=re.compile("patrons service 9.1"))
    expect(row).to_be_visible()
    row.click()
    page.get_by_role("button", name="delete the note").click()
    expect(row).to_have_count(0)


def test_two_servers_beside_each_other(page: Page) -> None:
    page.goto("/compare?scope=desk-a")
    page.get_by_role("combobox", name="Compare with").select_option("desk-c")
    expect(page.locator("[data-test=sentence]")).to_contain_text("desk-a against desk-c")
    expect(page.get_by_text("in steps that add up")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile(r"Pages read \d"))).to_be_visible()


def test_what_runs_now_and_held_still(page: Page) -> None:
    page.goto("/now")
    page.get_by_role("row", name=re.compile("desk-a")).click()
    expect(page).to_have_url(re.compile("scope=desk-a"))
    moment = page.locator("[data-test=moment]")
    expect(moment).to_contain_text("as seen at")
    expect(moment).to_contain_text("each second")
    page.keyboard.press(" ")
    expect(moment).to_contain_text("held still")
    held = moment.inner_text()
    page.wait_for_timeout(2500)
    assert moment.inner_text() == held
    page.keyboard.press(" ")
    expect(moment).not_to_have_text(held)


def test_the_log_and_a_rule_of_ones_own(page: Page) -> None:
    page.goto("/log?focus=PT24H")
    assert "log of fleet" in sentence(page)
    word = "checkpoint"
    page.get_by_role("textbox", name="Words of the message").fill(word)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text(f"“{word}” is taken as nothing")).to_be_visible()
    page.get_by_role("button", name=f"Delete the rule {word}").click()
    expect(page.get_by_text(f"“{word}” is taken as nothing")).to_have_count(0)


def test_the_focus_is_chosen_by_keyboard_and_by_its_ends(page: Page) -> None:
    page.goto("/ledger?scope=desk-a")
    page.locator(".lead-sentence").wait_for()
    page.keyboard.press("f")
    page.get_by_text("last 6 h, following now").click()
    expect(page).to_have_url(re.compile("focus=PT6H"))
    page.locator("[data-test=focus-picker] button").first.click()
    page.get_by_label("From, UTC").fill("2026-01-02T03:00")
    page.get_by_label("to", exact=True).fill("2026-01-02T02:00")
    expect(page.get_by_text("The end has to be after the beginning.")).to_be_visible()
    page.get_by_label("to", exact=True).fill("2026-01-02T04:30")
    page.get_by_role("button", name="Show this time").click()
    expect(page).to_have_url(re.compile(r"focus=2026-01-02T03(:|%3A)00"))


def test_one_cluster_its_host_and_its_jobs(page: Page) -> None:
    page.goto("/servers/desk-a")
    page.get_by_role("navigation", name="Scope").get_by_role("link", name="desk", exact=True).click()
    expect(page).to_have_url(re.compile("/clusters/desk"))
    assert "desk has 3 members, and all answer" in sentence(page)
    expect(page.get_by_role("columnheader")).to_have_count(4)
    page.get_by_role("link", name="Their calls as strips").click()
    expect(page.locator("[data-test=band]")).to_have_count(3)
    page.goto("/servers/desk-a/host")
    assert "of 4 cores are busy" in sentence(page)
    expect(page.get_by_role("img", name=re.compile("^memory: buffer cache"))).to_be_visible()
    page.goto("/recurrences?scope=desk-a&zone=Europe/Dublin")
    assert "come back by the calendar" in sentence(page)
    field = page.get_by_label("Name of the job on desk-a").first
    field.fill("overdue notices")
    field.press("Enter")
    expect(page.locator("[data-test=sentence]")).to_contain_text("overdue notices")
    page.get_by_role("button", name="dismiss").first.click()
    expect(page.get_by_role("button", name="take up")).to_have_count(1)


def test_a_member_is_lost_and_comes_back(page: Page) -> None:
    """A week ago: the story of its cluster, and the same among the changes."""
    ago = [
        (datetime.now(UTC) - timedelta(minutes=minutes)).strftime("%Y-%m-%dT%H:%M:%SZ") for minutes in (10_300, 9_900)
    ]
    page.goto(f"/clusters/kiosk?focus={'/'.join(ago)}")
    story = page.locator("[data-test=story]")
    expect(story.first).to_contain_text("1 member fewer was seen")
    expect(story.last).to_contain_text("4 members were seen again")
    page.goto(f"/changes?scope=kiosk&kind=member&focus={'/'.join(ago)}")
    expect(page.get_by_role("cell", name="sees 4 members of its cluster instead of 3").first).to_be_visible()
    expect(page.get_by_role("cell", name="sees 3 members of its cluster instead of 4").first).to_be_visible()


def test_the_ledger_is_stepped_through_and_narrowed(page: Page) -> None:
    page.goto("/ledger?scope=desk&by=service&against=wait_family&through=server")
    steps = page.locator("[data-test=steps]")
    expect(steps.get_by_role("button", name="all")).to_have_attribute("aria-pressed", "true")
    page.locator("[data-test=next]").click()
    expect(page).to_have_url(re.compile("at=desk-"))
    page.get_by_role("button", name="Without returns").click()
    expect(page).to_have_url(re.compile("without.service=returns"))
    expect(page.locator("main tbody")).not_to_contain_text("returns")
    page.get_by_label("Measure").select_option("rows_examined")
    expect(page.locator("[data-test=sentence]")).to_contain_text("rows examined a second")
    expect(page.locator("main tbody").first).to_be_visible()


def test_sizes_of_a_server_and_its_cache_curve(page: Page) -> None:
    page.goto("/servers/desk-a/host")
    page.get_by_role("link", name="Sizes").click()
    expect(page.locator("[data-test=aid-memory]")).to_contain_text("may be taken")
    expect(page.locator("[data-test=aid-sessions]")).to_contain_text("Little 1961")
    page.locator("[data-test=ask-curve]").click()
    expect(page.locator("[data-test=curve-says]")).to_contain_text("of what any size finds")
    expect(page.get_by_role("img", name="Part of the pages asked for that a cache finds")).to_contain_text("set:")
    page.locator("[data-test=aid-memory]").get_by_role("link", name="what this is").click()
    expect(page.get_by_role("heading", name="Memory of a sort")).to_be_visible()
