"""A new user follows docs/postgresql.md from a bare server to its statements, waits, and a bundle to take home."""

from __future__ import annotations

import re
import subprocess
import threading
import zipfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.conftest import BIN, ROOT, free_port, wait_for
from tests.patience import PATIENT_MS
from tests.postgres import running_postgres

pytestmark = [pytest.mark.ui, pytest.mark.postgres]
PAGE = (ROOT / "docs" / "postgresql.md").read_text(encoding="utf-8")


def commands(block: str) -> list[str]:
    return [line for line in block.strip().splitlines() if line]


@pytest.fixture
def server() -> Iterator[psycopg.Connection]:
    """A bare server, set up by the page's own commands."""
    before, after = (commands(block) for block in re.findall(r"```sql\n(.*?)```", PAGE, re.DOTALL))
    with running_postgres() as owner:
        for command in before:
            owner.execute(command)
        dsn = owner.info.dsn
        data = owner.execute("SHOW data_directory").fetchone()
        binary = sorted(Path("/usr/lib/postgresql").glob("*/bin/pg_ctl"))[-1]
        assert data is not None
        restart = ["runuser", "-u", "postgres", "--", str(binary), "-D", data[0], "-w", "-m", "fast", "restart"]
        subprocess.run([*restart, "-l", f"{data[0]}/restarted"], check=True, capture_output=True, cwd="/")
        with psycopg.connect(dsn, autocommit=True) as again:
            for command in after:
                again.execute(command)
            again.execute("CREATE TABLE loan AS SELECT i AS id, i % 50 AS patron FROM generate_series(1, 200000) i")
            yield again


@pytest.fixture
def application(tmp_path: Path) -> Iterator[tuple[str, str]]:
    """Address of a new installation, and the code it printed."""
    port = free_port()
    command = [str(BIN / "hardy-gauge"), "serve", "--port", str(port), "--data", str(tmp_path / "data")]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        lines = [process.stdout.readline() for _ in range(2)]
        wait_for(f"http://127.0.0.1:{port}/api/health")
        yield f"http://127.0.0.1:{port}", lines[1].split()[-1]
    finally:
        process.terminate()
        process.wait(timeout=30)


@pytest.fixture
def newcomer(browser: Browser, application: tuple[str, str]) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application[0])
    context.set_default_timeout(PATIENT_MS)
    yield context.new_page()
    context.close()


def own_figure(page: Page) -> None:
    """A query is tried, and recorded from then on."""
    page.goto("/setup/figures?scope=reading-room")
    page.locator("#own-name").fill("patrons")
    page.locator("#own-title").fill("Patrons with loans")
    page.locator("#own-sql").fill("SELECT count(DISTINCT patron) AS amount FROM loan")
    page.locator("[data-test=check]").click()
    expect(page.locator("[data-test=checked]")).to_contain_text("no column named value")
    page.locator("#own-sql").fill("SELECT count(DISTINCT patron) AS value FROM loan")
    page.locator("[data-test=check]").click()
    expect(page.locator("[data-test=checked]")).to_contain_text("1 row in")
    expect(page.locator("[data-test=checked]")).to_contain_text("50")
    page.locator("[data-test=keep]").click()
    expect(page.get_by_role("status")).to_contain_text("patrons is recorded on reading-room")
    expect(page.get_by_role("cell", name="Patrons with loans")).to_be_visible()


def ended_session(page: Page, server: psycopg.Connection) -> None:
    """Who holds a row and does nothing is ended from Now, with a reason."""
    server.execute("CREATE ROLE clerk LOGIN")
    server.execute("GRANT ALL ON loan TO clerk")
    with psycopg.connect(server.info.dsn, user="clerk", application_name="night desk") as holder:
        holder.execute("UPDATE loan SET patron = 8 WHERE id = 1")
        page.goto("/now?scope=reading-room")
        row = page.get_by_role("row").filter(has_text="night desk")
        expect(row).to_contain_text("nothing, transaction open")
        row.locator("[data-test=end]").click()
        page.locator("[data-test=end-reason]").fill("went home with the desk open")
        page.locator("[data-test=end-now]").click()
        expect(page.get_by_role("status")).to_contain_text("was ended")
        with pytest.raises(psycopg.OperationalError):
            holder.execute("SELECT 1")
        holder.close()
    page.goto("/changes?scope=reading-room&focus=PT5M&kind=note")
    expect(page.locator("main")).to_contain_text("was ended: went home with the desk open")


def test_a_new_user_follows_the_page(newcomer: Page, application: tuple[str, str], server: psycopg.Connection) -> None:
    page, over = newcomer, threading.Event()
    server.execute("GRANT pg_signal_backend TO gauge")
    server.execute("GRANT SELECT ON loan TO gauge")

    def work() -> None:
        with psycopg.connect(server.info.dsn, application_name="loans desk", autocommit=True) as desk:
            while not over.is_set():
                desk.execute("SELECT count(*) FROM loan WHERE patron = %s", [7])

    desk = threading.Thread(target=work)
    desk.start()
    try:
        page.goto("/")
        for name, text in (("code", application[1]), ("name", "head"), ("password", "a long enough pass phrase")):
            page.locator(f"[data-test={name}]").fill(text)
        page.locator("[data-test=sign-in]").click()
        page.locator("nav[aria-label=Screens]").get_by_text("Setup").click()
        page.get_by_role("link", name="Keyring").click()
        for name, text in (("name", "watch"), ("user", "gauge"), ("secret", "choose-one")):
            page.locator(f"[data-test=account-{name}]").fill(text)
        page.locator("[data-test=account-save]").click()
        expect(page.get_by_role("cell", name="watch")).to_be_visible()
        page.get_by_role("link", name="Servers", exact=True).click()
        page.locator("[data-test=connect]").click()
        address = f"postgresql:///postgres?host={server.info.host}&port={server.info.port}"
        page.locator("[data-test=address]").fill(address)
        page.locator("[data-test=account]").select_option("watch")
        page.locator("[data-test=test]").click()
        expect(page.locator("[data-test=tested]")).to_contain_text("answers: postgresql")
        page.locator("[data-test=name]").fill("reading-room")
        page.locator("[data-test=cluster]").fill("reading")
        page.locator("[data-test=take]").click()
        expect(page.locator("[data-test=taken]")).to_contain_text("reading-room is in the fleet")
        page.goto("/servers/reading-room?focus=PT5M")
        expect(page.locator("a.sql", has_text="FROM loan WHERE patron")).to_be_visible()
        page.goto("/ledger?scope=reading-room&focus=PT5M")
        expect(page.locator("main tbody").first).to_contain_text("processor")
        own_figure(page)
        ended_session(page, server)
        page.goto("/setup/bundles?focus=PT5M")
        with page.expect_download() as taken:
            page.locator("[data-test=bundle-export]").click()
    finally:
        over.set()
        desk.join()
    with zipfile.ZipFile(taken.value.path()) as bundle:
        assert {"manifest.json", "0/sample.parquet", "0/statement.parquet"} <= set(bundle.namelist())
        assert b"choose-one" not in b"".join(bundle.read(name) for name in bundle.namelist())
