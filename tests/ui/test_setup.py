"""Setup in the browser: the one click of the demo, keyring, rules and their file, pausing, several at once, people."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.patience import PATIENT_MS

pytestmark = pytest.mark.ui


@pytest.fixture
def stranger(browser: Browser, demo: str) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=demo)
    context.set_default_timeout(PATIENT_MS)
    yield context.new_page()
    context.close()


def test_the_demo_says_that_it_is_one_and_lets_in_with_a_click(stranger: Page) -> None:
    stranger.goto("/ledger?scope=desk-a")
    expect(stranger.locator(".sheet")).to_contain_text("made-up library")
    stranger.locator("[data-test=enter-demo]").click()
    expect(stranger.locator(".lead-sentence").first).to_contain_text("desk-a had")
    stranger.locator("[data-test=me]").get_by_role("button").first.click()
    stranger.get_by_text("Sign out").click()
    expect(stranger.locator("[data-test=enter-demo]")).to_be_visible()


def test_an_account_goes_in_and_its_secret_stays_there(page: Page) -> None:
    page.goto("/setup/keyring")
    for name, text in (("name", "night"), ("user", "gauge"), ("secret", "planted-Secret-5d")):
        page.locator(f"[data-test=account-{name}]").fill(text)
    page.locator("[data-test=account-save]").click()
    row = page.locator("main tbody tr", has_text="night")
    expect(row).to_contain_text("gauge")
    assert "planted-Secret-5d" not in page.content()
    row.get_by_role("button", name="Change").click()
    expect(page.locator("[data-test=account-secret]")).to_have_value("")
    row.get_by_role("button", name="Remove").click()
    expect(row).to_have_count(0)


def test_a_rule_says_what_it_would_miss_and_is_the_same_as_a_file(page: Page) -> None:
    page.goto("/setup/rules")
    page.get_by_role("button", name="Add a rule").click()
    page.get_by_text("for reporting servers").click()
    page.locator("#rule-places").fill("stats")
    page.locator("#rule-places").blur()
    page.locator("[data-test=mode]").select_option("weighty")
    expect(page.locator("[data-test=missed]")).to_contain_text("would have missed")
    expect(page.locator("[data-test=rules-yaml]")).to_have_value(
        re.compile(r"- stats\n\s+mode: weighty\n\s+sample: 5 s")
    )
    page.locator("[data-test=nth]").fill("3")
    page.locator("[data-test=literals]").check()
    expect(page.get_by_text("values may be personal data")).to_be_visible()
    expect(page.locator("[data-test=rules-yaml]")).to_have_value(re.compile(r"every_nth_session: 3\n\s+literals: kept"))
    expect(page.locator("tr.chosen")).to_contain_text("one in 3")
    page.locator("[data-test=rules-save]").click()
    expect(page.get_by_text("saved and in force")).to_be_visible()
    page.goto("/setup/servers?search=stats-a")
    expect(page.locator("tr[data-row=stats-a]")).to_contain_text("weighty reporting")
    page.goto("/setup/rules")
    page.locator("[data-test=rules-yaml]").fill("rules: [{name: x, sample: 90 s}]")
    page.locator("[data-test=rules-save]").click()
    expect(page.get_by_role("alert")).to_contain_text("rules.0.sample")
    page.locator("[data-test=rules-yaml]").fill("rules: []")
    page.locator("[data-test=rules-save]").click()
    expect(page.locator(".lead-sentence")).to_contain_text("No rule")


def test_recording_is_paused_and_goes_on_on_many_at_once(page: Page) -> None:
    page.goto("/setup/servers?search=kiosk")
    page.get_by_label("choose all").check()
    expect(page.get_by_text("4 chosen:")).to_be_visible()
    page.get_by_role("button", name="Pause recording").click()
    expect(page.locator("tr[data-row=kiosk-a]")).to_contain_text("paused: nothing new is recorded")
    page.get_by_role("button", name="Record by the rules").click()
    expect(page.locator("tr[data-row=kiosk-d]")).not_to_contain_text("paused")


def test_several_servers_are_read_before_anything_is_stored(page: Page) -> None:
    page.goto("/setup/servers?add=several")
    page.locator("[data-test=list]").fill("address,name\nhttp://127.0.0.1:9/servers/lost,lost\nnowhere,x\n")
    page.locator("[data-test=read]").click()
    expect(page.get_by_text("line 3: 'nowhere' is not an address")).to_be_visible()
    page.locator("[data-test=take-several]").click()
    expect(page.locator("td .act", has_text="nothing listens at 127.0.0.1:9")).to_be_visible()
    expect(page.locator("tr[data-row=lost]")).to_have_count(0)


def test_a_server_is_edited_where_it_stands(page: Page) -> None:
    page.goto("/setup/servers?open=lab-b")
    page.get_by_label("Labels, separated by commas").fill("trial, quiet")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    expect(page.locator("tr[data-row=lab-b]")).to_contain_text("quiet, trial")
    expect(page.locator("main").get_by_text("Reports", exact=True).last).to_be_visible()
    page.get_by_label("Labels, separated by commas").fill("")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("tr[data-row=lab-b]")).not_to_contain_text("quiet")


def test_storage_and_price(page: Page) -> None:
    page.goto("/setup/storage")
    expect(page.locator(".lead-sentence")).to_contain_text(re.compile(r"takes [\d.]+ MB and grows by"))
    expect(page.locator("main tbody tr")).to_have_count(22)
    page.locator("#size").fill("0.001")
    page.get_by_role("button", name="Save").first.click()
    assert page.locator("#size").evaluate("field => field.validity.rangeUnderflow")
    page.locator("#size").fill("50")
    page.get_by_role("button", name="Save").first.click()
    expect(page.locator(".lead-sentence")).to_contain_text(re.compile(r"limit of 50.* is reached in [\d,]+ days"))
    page.get_by_text("The same as a file").click()
    expect(page.locator("[data-test=same-as-file] pre")).to_contain_text("most_bytes: 50000000000")
    page.locator("#size").fill("")
    page.get_by_role("button", name="Save").first.click()
    expect(page.locator(".lead-sentence")).to_contain_text("no limit of size")
    expect(page.locator(".lead-sentence")).to_contain_text(re.compile(r"Recording takes [\d.]+% of a core here"))


def test_a_token_is_shown_once_and_people_have_roles(page: Page) -> None:
    page.goto("/setup/people")
    page.get_by_label("Name of the token").fill("nightly")
    page.locator("[data-test=token-make]").click()
    expect(page.locator("[data-test=token]")).to_contain_text("hgt_")
    page.locator("[data-test=person-name]").fill("reader")
    page.locator("[data-test=person-password]").fill("short")
    page.locator("[data-test=person-add]").click()
    expect(page.get_by_role("alert")).to_contain_text("at least 12 characters")
    page.reload()
    row = page.locator("main tr", has_text="nightly").first
    row.get_by_role("button", name="Revoke").click()
    expect(row).to_contain_text("revoked")
    assert "hgt_" not in page.content()
    line = page.locator("main tr", has_text="POST tokens").first
    expect(line).to_contain_text("token nightly: name nightly, scope viewer")
