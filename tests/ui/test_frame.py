"""The frame around every screen: keyboard, finding, addresses, themes, and what axe says."""

from __future__ import annotations

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import BrowserContext, Page, expect

pytestmark = pytest.mark.ui
HOLDS = re.compile("SELECT h.id")


def test_keyboard_opens_screens_and_moves_the_focus(page: Page) -> None:
    page.goto("/ledger?scope=desk-a")
    expect(page.locator("[data-test=sentence]")).to_be_visible()
    page.keyboard.press("5")
    expect(page).to_have_url(re.compile(r"/statements\?.*scope=desk-a"))
    page.keyboard.press(",")
    expect(page).to_have_url(re.compile("focus=20.*%2F20|focus=20.*/20"))
    before = page.url
    page.keyboard.press("-")
    expect(page).not_to_have_url(before)
    page.keyboard.press("r")
    expect(page).to_have_url(re.compile("reference=20"))
    page.keyboard.press("u")
    expect(page).not_to_have_url(re.compile("reference="))
    page.keyboard.press("l")
    expect(page).to_have_url(re.compile("focus=PT"))
    page.keyboard.press("3")
    expect(page).to_have_url(re.compile("/servers/desk-a"))
    page.keyboard.press("?")
    expect(page.get_by_text("make the focus the reference")).to_be_visible()


def test_find_leads_to_a_statement(page: Page) -> None:
    page.goto("/fleet")
    expect(page.locator("tr[data-row]").first).to_be_visible()
    page.keyboard.press("/")
    page.get_by_label("Find").last.fill("statement hold_request title_id")
    expect(page.locator(".hits li")).to_have_count(2)
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/statements/[0-9a-f]{16}"))
    expect(page.locator("[data-test=sentence]")).to_contain_text("The statement takes")


def test_find_keeps_what_is_typed_while_it_opens(page: Page) -> None:
    page.goto("/fleet")
    expect(page.locator("tr[data-row]").first).to_be_visible()
    page.evaluate("""async () => { for (const key of ['/', 'd', 'e', 's', 'k', '-', '2', 'Backspace', 'b']) {
        (document.activeElement ?? document.body).dispatchEvent(
            new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
        await Promise.resolve() } }""")
    expect(page.get_by_role("textbox", name="Find")).to_have_value("desk-b")
    expect(page).to_have_url(re.compile("/fleet"))
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/servers/desk-b"))


def test_dragging_the_focus_changes_the_address_and_the_sheet(page: Page) -> None:
    page.goto("/ledger?scope=desk-a")
    expect(page.locator("[data-test=sentence]")).to_be_visible()
    was = page.locator("[data-test=sentence]").inner_text()
    body = page.locator('[data-window="focus"] .body').bounding_box()
    assert body is not None
    page.mouse.move(body["x"] + 40, body["y"] + 40)
    page.mouse.down()
    page.mouse.move(body["x"] - 360, body["y"] + 40, steps=5)
    page.mouse.up()
    expect(page).to_have_url(re.compile("focus=20"))
    expect(page.locator("[data-test=sentence]")).not_to_have_text(was)
    address = page.url
    text = page.locator("[data-test=sentence]").inner_text()
    page.goto("/fleet")
    page.goto(address)
    expect(page.locator("[data-test=sentence]")).to_have_text(text)


def test_wheel_zooms_the_tape(page: Page) -> None:
    page.goto("/servers/desk-a")
    expect(page.locator("section.tape path.line")).to_have_attribute("d", re.compile("M.+H"))
    box = page.locator("section.tape svg").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 400, box["y"] + 40)
    page.mouse.wheel(0, 300)
    expect(page).to_have_url(re.compile("view="))


def test_filters_are_removable_words_in_the_address(page: Page) -> None:
    page.goto("/ledger?scope=desk-a&by=wait_event&filter.wait_family=data+read")
    expect(page.locator("[data-row]")).to_have_count(1)
    page.get_by_role("button", name="Remove the filter wait family").click()
    expect(page).not_to_have_url(re.compile("filter"))
    expect(page.locator("[data-row]").nth(2)).to_be_visible()


def test_sorting_and_columns_stay(page: Page) -> None:
    page.goto("/statements?scope=desk-a")
    page.get_by_role("button", name="calls/s").click()
    expect(page).to_have_url(re.compile("sort=rate"))
    page.get_by_role("button", name="Columns").click()
    page.get_by_label("log per call").check()
    page.keyboard.press("Escape")
    page.reload()
    expect(page.get_by_role("columnheader", name="log per call")).to_be_visible()
    expect(page.get_by_role("columnheader", name="calls/s")).to_have_attribute("aria-sort", "descending")


def test_chart_has_its_figures(page: Page) -> None:
    page.goto("/ledger?scope=desk-a")
    page.get_by_role("button", name="figures").first.click()
    expect(page.locator("figure table tbody tr").first).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").first.click()
    text = download.value.path().read_bytes().decode()
    assert text.startswith("time,processor,data read") and text.count("\r\n") > 60


def test_problems_say_what_to_do(page: Page) -> None:
    page.goto("/servers/desk-z")
    expect(page.get_by_role("alert").first).to_contain_text("no server 'desk-z' in the fleet; there are: archive-a")
    page.goto("/ledger?scope=desk-a&focus=yesterday")
    expect(page.get_by_role("alert").first).to_contain_text("an interval such as")
    page.goto("/plans")
    page.get_by_label("Plan as JSON").fill('{"operation": "scan", "steps": [], "cost": "dear"}')
    page.get_by_role("button", name="Read the plan").click()
    expect(page.get_by_role("alert")).to_contain_text("root.cost")
    page.goto("/nowhere")
    expect(page.get_by_text("There is nothing at this address")).to_be_visible()


SCREENS = [
    "/fleet",
    "/servers/desk-a",
    "/ledger?scope=desk-a",
    "/ledger?scope=desk-a&by=statement",
    "/statements?scope=desk-a",
    "/now",
    "/now?scope=desk-a",
    "/holdups?scope=reserve-a&focus=PT2H",
    "/strips?scope=desk-a&band=figure:desk-a:active_sessions&band=figure:desk-a:response_s",
    "/compare?scope=desk-a",
    "/clusters/desk",
    "/servers/desk-a/host",
    "/servers/desk-a/sizing",
    "/servers/desk-a/tables/loan?scope=desk-a",
    "/servers/desk-a/texts?scope=desk-a",
    "/indexes",
    "/changes?scope=desk-a&focus=PT3H",
    "/log?focus=PT24H",
    "/recurrences",
    "/trials",
    "/setup/servers?add=one&open=desk-a",
    "/setup/keyring",
    "/setup/rules",
    "/setup/bundles",
    "/setup/storage",
    "/setup/people",
    "/trials/new",
    "/trials/expectations",
    "/plans",
    "/reports",
]


# rows of a table are alike: the first ones stand for all
ALIKE_LEFT_OUT = {"exclude": [["tbody tr:nth-child(n + 9)"], ["[data-row]:nth-child(n + 9)"]]}


def test_no_screen_has_an_accessibility_fault_in_either_theme(context: BrowserContext) -> None:
    page = context.new_page()
    page.emulate_media(color_scheme="light", reduced_motion="reduce")
    page.goto("/statements?scope=desk-a")
    row = page.locator("[data-row]").first
    holds = f"/statements/{row.get_attribute('data-row')}?scope=desk-a"
    page.goto(holds)
    plan = page.locator("[data-test=plan-link]").first.get_attribute("href")
    found: dict[tuple[str, str], list[object]] = {}
    for address in [*SCREENS, holds, str(plan)]:
        page.goto(address)
        page.locator(".lead-sentence").first.wait_for()
        if page.evaluate("document.documentElement.scrollHeight > window.innerHeight"):
            found["length", address] = [
                "the page is longer than the window: something inside is placed against the page"
            ]
        for theme in ("light", "dark"):
            page.emulate_media(color_scheme=theme, reduced_motion="reduce")  # type: ignore[arg-type]
            expect(page.locator("html")).to_have_attribute("data-bs-theme", theme)
            page.wait_for_timeout(400)
            # what is not a matter of colour is the same in both
            rules = (
                ["wcag2a", "wcag2aa"]
                if theme == "light"
                else {"type": "rule", "values": ["color-contrast", "link-in-text-block"]}
            )
            result = Axe().run(page, ALIKE_LEFT_OUT, options={"runOnly": rules})
            faults = [
                (v["id"], v["nodes"][0]["html"][:160], v["nodes"][0].get("failureSummary", "")[:200])
                for v in result.response["violations"]
            ]
            if faults:
                found[theme, address] = faults
        page.emulate_media(color_scheme="light", reduced_motion="reduce")
    page.close()
    assert not found, str(found)
