"""Findings and the Handbook in the browser: from a finding to its article, to a trial, to what a person says of it."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Page, expect

pytestmark = [pytest.mark.ui, pytest.mark.timeout(420)]


def opened(page: Page, path: str = "/findings") -> None:
    page.goto(path)
    expect(page.locator("[data-test=sentence]")).to_contain_text(re.compile("ask for something|asks for something"))


def test_a_finding_leads_to_its_article_and_to_a_trial(page: Page) -> None:
    opened(page, "/findings?search=missing+index+desk-a")
    expect(page.locator(".list [data-row]")).to_have_count(1)
    detail = page.locator("[data-test=detail]")
    expect(detail).to_contain_text("Missing index on hold_request (title_id, state, placed_at)")
    detail.get_by_role("link", name="what this is").first.click()
    expect(page).to_have_url(re.compile("/handbook.*open=cause"))
    article = page.locator("[data-test=article]")
    expect(article).to_contain_text("What can go wrong")
    article.get_by_role("link", name="Findings with this cause").click()
    expect(page).to_have_url(re.compile("/findings.*search=missing"))
    page.locator("[data-test=detail] [data-test=try-it]").first.click()
    expect(page).to_have_url(re.compile("/trials/new"))
    expect(page.locator("[data-test=start]")).to_be_visible()


def test_findings_are_filtered_opened_and_set_aside(page: Page) -> None:
    opened(page, "/findings?grade=act")
    expect(page.get_by_text(re.compile(r"\d+ shown"))).to_be_visible()
    expect(page.locator("[data-row] .grade", has_text="act").nth(1)).to_be_visible()
    expect(page.locator("[data-row] .grade", has_text="plan")).to_have_count(0)
    opened(page, "/findings?search=settings+differ&grade=note")
    row = page.locator(".list [data-row]").first
    expect(row).to_be_visible()
    row.click()
    expect(page).to_have_url(re.compile("open="))
    page.locator("[data-test=aside]").click()
    page.get_by_label("Why it is set aside").fill("meant to be so: tried until spring")
    page.get_by_role("button", name="Set aside until it grows by half").click()
    expect(page.locator("[data-test=detail]")).to_contain_text("tried until spring")
    page.get_by_label("Which findings").select_option("aside")
    expect(page.locator(".list [data-row]")).to_have_count(1)
    page.locator("[data-test=take-up]").click()
    expect(page.locator(".list [data-row]")).to_have_count(0)
    expect(page.locator("[data-test=none]")).to_contain_text("No finding matches")


def test_a_time_that_is_past_is_diagnosed_on_demand(page: Page) -> None:
    end = datetime.now(UTC).replace(minute=0, second=0, microsecond=0) - timedelta(hours=20)
    focus = "/".join(at.strftime("%Y-%m-%dT%H:%M:%SZ") for at in (end - timedelta(hours=3), end))
    page.goto(f"/findings?scope=member-b&focus={focus}&grade=note")
    expect(page.get_by_text(re.compile("This time was not diagnosed"))).to_be_visible()
    page.locator("[data-test=diagnose-past]").click()
    expect(page.locator("[data-test=past-words]")).to_contain_text("3 hours looked at on 1 server")
    expect(page.get_by_text(re.compile("This time was not diagnosed"))).to_have_count(0)
    expect(page.locator(".list [data-row]").first).to_be_visible()
    expect(page.locator("[data-test=sentence]")).to_contain_text(re.compile("From .* to .*, "))


def test_the_fleet_shows_what_asks_for_something(page: Page) -> None:
    opened(page)
    page.goto("/fleet")
    expect(page.locator('[data-row="kiosk-b"]')).to_contain_text("Upkeep is switched off")
    expect(page.locator('[data-row="kiosk-b"] .grade')).to_have_count(1)


def test_the_handbook_is_searched_and_found(page: Page) -> None:
    page.goto("/handbook")
    page.get_by_label("Search the handbook").fill("circle order")
    page.get_by_role("link", name="Deadlocks").click()
    expect(page.locator("[data-test=article] h1")).to_have_text("Deadlocks")
    page.keyboard.press("Escape")
    page.locator("body").click()
    page.keyboard.press("/")
    page.get_by_label("Find").last.fill("buffer cache")
    expect(page.locator(".hits li").first).to_be_visible()
    page.locator(".hits li", has_text="article Buffer cache (setting)").first.click()
    expect(page.locator("[data-test=article] h1")).to_have_text("Buffer cache")
