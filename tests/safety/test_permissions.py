"""Every route for every role, on the running application: as docs/permissions.md says, which is as the code says."""

from __future__ import annotations

import re

import httpx
from tools.permissions import table

from tests.conftest import ROOT
from tests.safety.running import ROLES, Application

PAGE = ROOT / "docs" / "permissions.md"
ROW = re.compile(r"\| `(\w+) (\S+)` \| (again)? *\| (yes)? *\| (yes)? *\| (yes)? *\| (yes)? *\|")
# these would end the session that asks, or never end
LEFT_OUT = ("/api/sign-out", "/api/trials/{trial_id}/events")


def test_the_page_is_as_the_code_says() -> None:
    assert PAGE.read_text() == table(), "run `make docs`"


def test_every_route_for_every_role(app: Application) -> None:
    """Whether a role may is whether it is not answered 401 or 403 for want of one; what is sent fits no route."""
    rows = [found.groups() for line in PAGE.read_text().splitlines() if (found := ROW.match(line))]
    assert len(rows) > 80
    people: dict[str, httpx.Client] = {role: app.as_(role) for role in ROLES}
    people["nobody"] = app.client()
    wrong = []
    for method, path, _, *may in rows:
        if path in LEFT_OUT:
            continue
        asked = re.sub(r"\{\w+\}", "999999", path)
        for role, said in zip(("viewer", "engineer", "administrator", "nobody"), may, strict=True):
            answer = people[role].request(
                method, asked, headers={"content-type": "application/x-nothing"}, content=b"{"
            )
            titles = ("Not allowed", "Not signed in") if answer.status_code in (401, 403) else ()
            refused = bool(titles) and answer.json()["title"] in titles and answer.json()["field"] == ""
            if refused == (said == "yes"):
                wrong.append((method, path, role, answer.status_code, answer.text[:80]))
    assert not wrong
