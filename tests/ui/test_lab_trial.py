"""One index tried on a lab server that is a real PostgreSQL, from the screens alone, as docs/trials.md says; and two trials compared."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from hardy_gauge.api.app import create_app
from hardy_gauge.settings import AppSettings
from tests.conftest import Serving
from tests.load.test_lab_server import Lab
from tests.load.test_lab_server import lab as lab
from tests.load.test_lab_server import server as server
from tests.patience import PATIENT_MS

pytestmark = [pytest.mark.ui, pytest.mark.postgres, pytest.mark.timeout(300)]
INDEXES = "SELECT array_agg(indexname ORDER BY indexname) FROM pg_indexes WHERE tablename = 'loan'"


@pytest.fixture
def page(browser: Browser, lab: Lab, tmp_path: Path) -> Iterator[Page]:
    settings = AppSettings(data=tmp_path, demo=True)
    with Serving(create_app(settings, lab.store)) as serving:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=serving.address)
        context.set_default_timeout(PATIENT_MS)
        assert context.request.post("/api/sign-in/demo").ok
        yield context.new_page()
        context.close()


def start(page: Page) -> None:
    page.locator("[data-test=start]").click()
    expect(page).to_have_url(re.compile(r"/trials/\d+"))
    meanwhile = page.get_by_role("link", name="Figures of reading-room meanwhile")
    expect(meanwhile).to_have_attribute("href", re.compile(r"/strips\?scope=reading-room.*response_s"))
    expect(page.locator("[data-test=way-back]")).to_contain_text("reading-room is as it was before")
    expect(page.locator("[data-test=verdict]")).not_to_contain_text("So far")


def test_an_index_on_a_lab_server_from_the_screens_alone(page: Page, lab: Lab) -> None:
    before = lab.owner.execute(INDEXES).fetchone()
    page.goto("/trials/new")
    expect(page.locator("[data-lab=counter]")).to_have_count(0)  # it is not labelled
    page.locator("[data-lab=reading-room]").click()
    expect(page.get_by_text("reading-room could not be asked with its own account")).to_be_visible()
    page.locator("[data-test=target-account]").fill("tuner")
    page.locator("[data-test=target-player]").fill("desk")
    page.locator("[data-test=statement-0]").fill("UPDATE loan SET note = '' WHERE patron = $1")
    page.locator("[data-test=value-0-0]").fill("1 to 20000")
    page.locator("[data-test=add-index]").nth(1).click()
    page.locator("[data-test=index-table]").fill("loan")
    page.locator("[data-test=index-columns]").fill("patron")
    page.locator("#metric").select_option("throughput")
    page.locator("#seconds").fill("1 s")
    page.get_by_label("Blocks").fill("2")
    page.locator("[data-test=start]").click()
    expect(page.locator(".sheet")).to_contain_text("what it writes stays on the server")
    page.locator("[data-test=statement-0]").fill("SELECT id, due FROM loan WHERE patron = $1")
    start(page)
    expect(page.locator("[data-test=verdict]")).to_contain_text(re.compile("throughput (of candidate )?is"))
    expect(page.get_by_text("index on loan (patron)").first).to_be_visible()
    page.get_by_text("the way back").click()
    expect(page.locator("[data-test=way-back]")).to_contain_text("DROP INDEX CONCURRENTLY IF EXISTS")
    assert lab.owner.execute(INDEXES).fetchone() == before
    page.locator("[data-test=again]").click()
    expect(page.locator("[data-test=target-account]")).to_have_value("tuner")
    page.locator("#seconds").fill("1500 ms")
    start(page)
    page.goto("/trials")
    page.get_by_label("Compare trial 1").click()
    page.get_by_label("Compare trial 2").click()
    page.locator("[data-test=against]").click()
    expect(page.locator("[data-test=sentence]")).to_contain_text("of trial 2 is")
    expect(page.get_by_text("run.seconds: 1 s → 1500 ms")).to_be_visible()
