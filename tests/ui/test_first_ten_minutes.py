"""A newcomer: from an empty folder to the first useful sentence about a real PostgreSQL."""

from __future__ import annotations

import re
import time
from pathlib import Path

import psycopg
import pytest
from playwright.sync_api import Browser, expect

from tests.patience import PATIENT_MS
from tests.postgres import SECRET, watched_postgres
from tests.safety.running import PASSWORD, Application

pytestmark = [pytest.mark.postgres, pytest.mark.xdist_group("newcomer")]
PORT = 5434  # one of those that are looked at


@pytest.mark.timeout(300)
def test_from_an_empty_folder_to_a_sentence(browser: Browser, tmp_path: Path) -> None:
    with watched_postgres(port=PORT) as (owner, _):
        app = Application(tmp_path / "data")
        try:
            code = re.search(r"code for the first is (\S+)", _until_said(app, "code for the first"))
            assert code is not None
            page = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=app.address).new_page()
            page.set_default_timeout(PATIENT_MS)
            page.goto("/")
            expect(page.locator("[data-test=code]")).to_be_focused()
            page.keyboard.type(code[1])
            page.locator("[data-test=name]").fill("ada")
            page.locator("[data-test=password]").fill(PASSWORD)
            page.locator("[data-test=sign-in]").click()
            expect(page.locator("[data-test=sentence]")).to_have_text("No server is recorded yet.")
            expect(page.get_by_label("Search servers")).to_have_count(0)
            row = page.locator("p.line", has_text=f":{PORT}/")
            row.locator("[data-test=nearby]").click()
            expect(page.locator("[data-test=address]")).to_have_value(f"postgresql://127.0.0.1:{PORT}/postgres")
            page.locator("[data-test=account]").select_option("+")
            page.locator("[data-test=new-user]").fill("gauge")
            page.locator("[data-test=new-secret]").fill(SECRET)
            page.locator("[data-test=test]").click()
            expect(page.locator("[data-test=tested]")).to_contain_text("reading-room")
            page.locator("[data-test=take]").click()
            expect(page.locator("[data-test=taken]")).to_contain_text("is in the fleet")
            _work(owner)
            page.goto("/servers/reading-room")
            sentence = page.locator("[data-test=sentence]")
            expect(sentence).to_contain_text(re.compile("is looked at since|is mostly"))
            expect(sentence).to_contain_text("nothing usual is known of this hour yet")
            page.goto("/servers/reading-room/objects")
            expect(page.locator("tr[data-row=loan]")).to_be_visible()
            page.context.close()
        finally:
            app.close()


def _until_said(app: Application, words: str) -> str:
    for _ in range(100):
        if words in app.log.read_text():
            break
        time.sleep(0.1)
    return app.log.read_text()


def _work(owner: psycopg.Connection) -> None:
    for n in range(50):
        owner.execute("SELECT count(*) FROM loan WHERE patron = %s", [n])
