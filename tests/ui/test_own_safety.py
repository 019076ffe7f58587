"""A new person sets up a second factor and signs in with it, is asked again before a role is changed, and puts backups on a
schedule, all on the screens."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterator
from pathlib import Path

import pyotp
import pytest
from playwright.sync_api import Browser, Page, expect

from hardy_gauge.store.database import Store
from tests.patience import PATIENT_MS
from tests.queries.builder import Built
from tests.safety.running import PASSWORD, Application, new_application


@pytest.fixture
def own(tmp_path: Path) -> Iterator[Application]:
    with new_application(tmp_path / "data") as app:
        yield app


@pytest.fixture
def visitor(browser: Browser, own: Application) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=own.address)
    context.set_default_timeout(PATIENT_MS)
    yield context.new_page()
    context.close()


def enter(page: Page, name: str) -> None:
    page.goto("/")
    page.locator("[data-test=name]").fill(name)
    page.locator("[data-test=password]").fill(PASSWORD)
    page.locator("[data-test=sign-in]").click()


def test_a_second_factor(visitor: Page) -> None:
    page = visitor
    enter(page, "administrator")
    expect(page.locator("nav[aria-label=Screens]")).to_be_visible()
    page.goto("/setup/you")
    page.locator("[data-test=factor-begin]").click()
    secret = page.locator("[data-test=factor-secret]").inner_text()
    expect(page.locator("[data-test=factor-picture]")).to_be_visible()
    page.locator("[data-test=factor-code]").fill("000000")
    page.locator("[data-test=factor-on]").click()
    expect(page.get_by_role("alert")).to_contain_text("six digits")
    totp = pyotp.TOTP(secret)
    page.locator("[data-test=factor-code]").fill(totp.now())
    page.locator("[data-test=factor-on]").click()
    expect(page.locator("[data-test=recovery] li")).to_have_count(10)
    recovery = page.locator("[data-test=recovery] li").first.inner_text()
    page.reload()
    expect(page.get_by_text("On: signing in needs")).to_be_visible()
    page.locator("[data-test=me]").click()
    page.locator("header").get_by_text("Sign out").click()
    expect(page.locator("[data-test=name]")).to_be_visible()
    enter(page, "administrator")
    expect(page.locator("[data-test=device-code]")).to_be_visible()
    page.locator("[data-test=device-code]").fill(recovery)
    page.locator("[data-test=sign-in]").click()
    expect(page.locator("nav[aria-label=Screens]")).to_be_visible()


def test_asked_again_and_backups_on_a_schedule(visitor: Page, own: Application) -> None:
    page = visitor
    enter(page, "administrator")
    expect(page.locator("nav[aria-label=Screens]")).to_be_visible()
    with sqlite3.connect(own.folder / "hardy-gauge.db", timeout=30) as connection:
        connection.execute("UPDATE sign_in SET confirmed_us = 0")
    page.goto("/setup/people")
    page.get_by_label("Role of viewer", exact=True).select_option("engineer")
    page.locator("[data-test=confirm-password]").fill("not the password")
    page.locator("[data-test=confirm]").click()
    expect(page.get_by_role("alert").first).to_contain_text("not the password that is set")
    page.locator("[data-test=confirm-password]").fill(PASSWORD)
    page.locator("[data-test=confirm]").click()
    line = page.locator("main tr", has_text="PATCH people/viewer").first
    expect(line).to_contain_text("role viewer → engineer")
    page.goto("/setup/storage")
    page.locator("[data-test=backup-every]").fill("24")
    page.locator("[data-test=backup-keep]").fill("3")
    page.locator("[data-test=backup-save]").click()
    page.locator("[data-test=backup-now]").click()
    expect(page.get_by_role("cell", name=f"hardy-gauge-{time.strftime('%Y%m%d', time.gmtime())}")).to_be_visible()
    page.goto("/setup/health")
    expect(page.get_by_text("the last backup is of")).to_be_visible()


def test_a_role_for_one_cluster(visitor: Page, own: Application) -> None:
    store = Store(own.folder / "hardy-gauge.db")
    built = Built(store)
    for name, cluster in (("quay-1", "quay"), ("quay-2", "quay"), ("mill-1", "mill")):
        built.server(name, cluster)
    store.close()
    page = visitor
    enter(page, "administrator")
    expect(page.locator("nav[aria-label=Screens]")).to_be_visible()
    page.goto("/setup/people")
    page.get_by_label("Role of viewer", exact=True).select_option("none")
    page.get_by_label("Add a role for a part to viewer").click()
    page.get_by_label("Name of the part for viewer").fill("quay")
    page.locator("[data-test=part-add-viewer]").click()
    expect(page.get_by_label("Take the role for cluster quay from viewer")).to_be_visible()
    expect(page.locator("main tr", has_text="PATCH people/viewer").first).to_contain_text("quay")
    page.locator("[data-test=me]").click()
    page.locator("header").get_by_text("Sign out").click()
    enter(page, "viewer")
    expect(page.locator("main")).to_contain_text("quay-1")
    expect(page.locator("main")).not_to_contain_text("mill-1")
    page.goto("/servers/mill-1")
    expect(page.get_by_role("alert").first).to_contain_text("no server 'mill-1'")
    page.goto("/trials")
    expect(page.get_by_role("alert").first).to_contain_text("for the whole fleet")
    page.goto("/setup/you")
    expect(page.locator("main")).to_contain_text("viewer of cluster quay")
