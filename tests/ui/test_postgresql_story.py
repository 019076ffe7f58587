"""On a real PostgreSQL, in the browser: finding, article, script, "is it better now?", report."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import update

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.collector import Collector
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched
from tests.conftest import Serving
from tests.patience import PATIENT_MS
from tests.truth.real_server import Looks, working

pytestmark = [pytest.mark.ui, pytest.mark.postgres]
MINUTES = 8


@pytest.fixture
def looks(store: Store, collector: Collector) -> Looks:
    return Looks(store, collector)


@pytest.fixture
def page(browser: Browser, looks: Looks, tmp_path: Path) -> Iterator[Page]:
    """The application over what is recorded, at the collector's clock."""
    settings = AppSettings(data=tmp_path, demo=True)
    with Serving(create_app(settings, looks.store, clock=lambda: looks.now_us)) as serving:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=serving.address)
        context.set_default_timeout(PATIENT_MS)
        assert context.request.post("/api/sign-in/demo").ok
        yield context.new_page()
        context.close()


def test_from_a_finding_to_better(page: Page, looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    owner.execute(
        "SET log_min_duration_statement = -1"
    )  # its log has the server's clock, and the collector's is stepped
    owner.execute("CREATE TABLE visited (id serial PRIMARY KEY, patron int, note text)")
    owner.execute(
        "INSERT INTO visited (patron, note) SELECT i % 9000, repeat('n', 60) FROM generate_series(1, 300000) i"
    )
    owner.execute("ANALYZE visited")

    def recorded(minutes: int) -> None:
        for _ in range(minutes):
            looks.seconds(20, each_s=0.05)
            looks.minute()
        looks.findings()

    with working(owner.info.dsn, lambda s: s.execute("SELECT count(note) FROM visited WHERE patron = %s", [7]), 2):
        recorded(MINUTES)
        # finding
        page.goto("/findings")
        row = page.locator("tr[data-row]", has_text="visited").filter(has_text="Missing index").first
        row.locator("td").nth(1).click()
        finding = page.locator("[data-test=detail] [data-cause=missing_index]")
        expect(finding).to_contain_text("Missing index on visited (patron)")
        expect(page.locator("[data-test=improvement]")).to_contain_text(
            "nothing that was changed on reading-room since it began is known"
        )
        found = page.url
        # article
        finding.get_by_role("link", name="what this is").click()
        expect(page).to_have_url(re.compile("/handbook.*missing_index"))
        expect(page.get_by_role("heading", name="Missing index")).to_be_visible()
        # what the whole workload wants, by the twin
        page.goto("/servers/reading-room/indexes")
        page.locator("[data-test=ask]").click()
        expect(page.locator("[data-test=chosen]")).to_contain_text("visited(patron)")
        expect(page.locator(".lead-sentence")).to_contain_text("would win reading-room")
        page.locator("[data-test=prove]").click()
        expect(page.locator("[data-test=proof]")).to_contain_text("less time")
        # what its condition selects, and another text, proven on made rows
        page.goto("/statements?scope=reading-room&search=visited")
        page.get_by_role("link", name=re.compile("SELECT count.*visited")).first.click()
        page.locator("[data-test=ask-selectivity]").first.click()
        expect(page.locator("[data-test=selectivity]")).to_contain_text("the planner of reading-room")
        expect(page.locator("[data-test=conditions]")).to_contain_text("an index on this column could serve it")
        page.locator("[data-test=another-text]").click()
        expect(page.get_by_label("Old text")).to_have_value(re.compile("SELECT count"))
        page.get_by_label("New text").fill("SELECT count(DISTINCT note) FROM visited WHERE patron = $1")
        page.get_by_role("button", name="Compare plans and checks").click()
        expect(page.locator("[data-test=beside] [data-match]").first).to_be_visible()
        page.locator("[data-test=prove]").click()
        expect(page.locator("[data-test=proof]")).to_contain_text("more often in the new")
        expect(page.locator("[data-test=sentence]")).to_contain_text("do not give the same rows")
        # script
        page.goto(found)
        script = finding.locator("pre.script").first.inner_text()
        assert script.upper().startswith("CREATE INDEX"), script
        owner.execute(script)
        created_us = looks.now_us
        recorded(2)
        with looks.store.write() as session:  # it has the server's clock, which the stepped one has overtaken
            made = update(Change).where(Change.object == "visited_patron").values(at_us=created_us)
            assert session.execute(made).rowcount == 1
        page.reload()
        expect(page.locator("[data-test=improvement]")).to_contain_text("Too early to say")
        expect(page.locator("[data-test=improvement]")).to_contain_text(
            "index visited_patron on visited (patron) was created"
        )
        recorded(MINUTES)
    # is it better now?
    page.goto(found + ("&" if "?" in found else "?") + "state=all&grade=note")
    answer = page.locator("[data-test=improvement]")
    expect(answer).to_have_attribute("data-verdict", "better")
    expect(answer).to_contain_text("Yes: since")
    expect(answer).to_contain_text("was created")
    expect(page.locator("[data-test=detail]")).to_contain_text("over since")
    page.locator("[data-test=compare]").click()
    expect(page.locator("[data-test=sentence]")).to_contain_text("× the reference")
    # report
    page.goto("/servers/reading-room")
    page.locator("[data-test=report]").click()
    report = page.frame_locator("iframe[data-test=report]")
    expect(report.get_by_text(re.compile("Is it better now\\? Yes: since")).first).to_be_visible()
    owner.execute("DROP TABLE visited")


def test_a_forecast_of_the_cache_from_looks_at_it(
    page: Page, looks: Looks, watched: tuple[psycopg.Connection, str]
) -> None:
    owner = watched[0]
    page.goto("/servers/reading-room/sizing")
    expect(page.locator("[data-test=lacking]", has_text="Cache curve")).to_contain_text("nor what is cached")
    owner.execute("CREATE EXTENSION IF NOT EXISTS pg_buffercache")
    looks.minute()
    page.reload()
    expect(page.get_by_text("is looked at 6 times in 15 s; nothing is changed")).to_be_visible()
    with working(owner.info.dsn, lambda s: s.execute("SELECT count(note) FROM loan"), 1):
        page.locator("[data-test=ask-curve]").click()
        expect(page.locator("[data-test=curve-says]")).to_contain_text("so more would find no more")
    expect(page.get_by_text("A forecast, not a measurement")).to_be_visible()
    expect(page.get_by_role("img", name="Part of the pages asked for that a cache finds")).to_contain_text("set:")
