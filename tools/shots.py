"""One current picture of each main view, from the demo's data, into docs/screenshots/."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Page, sync_playwright
from tests.conftest import free_port, wait_for
from tests.ui.conftest import ARGS

DIAGNOSED_S = 300.0
OUT = Path(__file__).parents[1] / "docs" / "screenshots"


# views that are pictured at night too: of the others the day's picture is enough
BY_NIGHT = ("fleet",)
BANDS = (
    "figure:desk-a:active_sessions", "figure:desk-a:response_s", "figure:desk-a:pages_read_per_s", "family:desk-a:data read",
)  # fmt: skip


def found_of(api: httpx.Client, fingerprint: str) -> Any:
    """The sheet of a statement, once the first round of diagnosis is over."""
    ends = time.monotonic() + DIAGNOSED_S
    while True:
        detail = api.get(f"statements/{fingerprint}", params={"scope": "desk-a", "focus": "PT30M"}).json()
        if detail["findings"] or time.monotonic() > ends:
            return detail
        time.sleep(2)


def views(page: Page, base: str) -> dict[str, str]:
    """Name and address of every view; a trial and a report are made first."""
    with httpx.Client(base_url=f"{base}/api/", trust_env=False, timeout=60) as api:
        api.post("sign-in/demo")
        api.headers["x-csrf-token"] = api.get("me").json()["csrf_token"]
        top = api.get("statements", params={"scope": "desk-a", "focus": "PT30M"}).json()["rows"][0]
        detail = found_of(api, top["fingerprint"])
        remedy = detail["findings"][0]["finding"]["remedies"][0]
        advice = remedy["index"]
        body = {
            "server": "desk-a",
            "statement": top["fingerprint"],
            "table": advice["table"],
            "columns": advice["columns"],
            "expected": remedy["expected"],
        }
        design = api.post("trials/draft", params={"focus": "PT30M"}, json=body).json()["design"]
        trial = api.post("trials", json=design).json()["id"]
        while api.get(f"trials/{trial}").json()["state"] in ("waiting", "running"):
            time.sleep(1)
        report = api.post("reports", params={"focus": "PT30M"}, json={"server": "desk-a"}).json()["id"]
    return {
        "fleet": "/fleet",
        "findings": "/findings",
        "handbook": "/handbook?open=cause/missing_index",
        "now": "/now",
        "server": "/servers/desk-a",
        "tables": "/servers/desk-a/objects",
        "cluster": "/clusters/desk",
        "ledger": "/ledger?scope=desk-a",
        "strips": "/strips?scope=desk-a&" + "&".join(f"band={band}" for band in BANDS),
        "holdups": "/holdups?scope=reserve-a&focus=PT3H",
        "statements": "/statements?scope=desk-a",
        "statement": f"/statements/{top['fingerprint']}?scope=desk-a",
        "plan": f"/servers/desk-a/plans/{detail['plans'][0]['plan_key']}",
        "compare": "/compare?scope=desk-a",
        "changes": "/changes?focus=PT24H",
        "trial": f"/trials/{trial}",
        "reports": f"/reports?open={report}",
        "setup": "/setup/servers?add=one",
    }


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    port = free_port()
    running = os.environ.get("RUNNING_DEMO")
    base = running or f"http://127.0.0.1:{port}"
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        process = None
        if running is None:
            command = [str(Path(sys.executable).parent / "hardy-gauge"), "demo", "--port", str(port), "--data", data]
            process = subprocess.Popen(command)
            wait_for(f"{base}/api/health", 300)
            time.sleep(75)  # so that the live feed has its first minute
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        try:
            context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=base)
            context.request.post("/api/sign-in/demo")
            page = context.new_page()
            found = views(page, base)
            for theme in ("light", "dark"):
                page.emulate_media(color_scheme=theme)
                for name, address in found.items():
                    if theme == "dark" and name not in BY_NIGHT:
                        continue
                    page.goto(address)
                    page.locator(".lead-sentence").first.wait_for()
                    page.wait_for_timeout(1500)
                    page.screenshot(path=OUT / f"{name}-{theme}.png")
        finally:
            browser.close()
            if process is not None:
                process.terminate()
                process.wait(30)


if __name__ == "__main__":
    main()
