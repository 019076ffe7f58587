"""High 5, medium 12 to 15: signing in under attack, what a new password ends, the second factor, and the audit chain."""

from __future__ import annotations

import asyncio
import json
import sqlite3
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pyotp
import pytest

from hardy_gauge.api.sign_in_limits import SignInLimits
from hardy_gauge.errors import TooManyTries
from tests.conftest import wait_until
from tests.patience import PATIENT_S
from tests.safety.running import PASSWORD, Application, command, new_application

NEW = "brittle-comet-orchard-93"


def enter(client: httpx.Client, name: str, password: str, **more: str) -> httpx.Response:
    return client.post("/api/sign-in", json={"name": name, "password": password, **more})


def test_a_burst_of_sign_ins_leaves_the_rest_alone(fresh: Application) -> None:
    """Two hundred at once, of as many names: health answers meanwhile, and no write waits for a hash."""
    writer, done = fresh.as_("engineer"), threading.Event()
    answered = [0]

    def burst(number: int) -> int:
        with httpx.Client(base_url=fresh.address, trust_env=False, timeout=PATIENT_S) as client:
            return enter(client, f"nobody-{number}", "wrong wrong wrong").status_code

    def watch() -> None:
        with httpx.Client(base_url=fresh.address, trust_env=False, timeout=PATIENT_S) as client:
            while not done.is_set():
                assert client.get("/api/health").status_code == 200
                answered[0] += 1
                time.sleep(0.02)

    watcher = threading.Thread(target=watch)
    watcher.start()
    with ThreadPoolExecutor(50) as pool:
        statuses = pool.map(burst, range(200))
        assert writer.put("/api/capture-rules", json={"rules": []}).status_code == 200
        assert set(statuses) <= {401, 429, 503}
    done.set()
    watcher.join()
    assert answered[0] > 20, "a loop that is stalled answers once, after all of the hashes"


def test_tries_are_counted_before_they_are_looked_at(fresh: Application) -> None:
    def attempt(_: int) -> int:
        with httpx.Client(base_url=fresh.address, trust_env=False, timeout=PATIENT_S) as client:
            return enter(client, "viewer", "wrong wrong wrong").status_code

    with ThreadPoolExecutor(20) as pool:
        statuses = list(pool.map(attempt, range(20)))
    assert statuses.count(401) == 5 and statuses.count(429) == 15


def test_a_stranger_cannot_shut_a_name_out() -> None:
    """From elsewhere a name is slowed down; from where its person came before it is not."""
    delays: list[float] = []

    async def no_sleep(seconds: float) -> None:
        delays.append(seconds)

    limits = SignInLimits(no_sleep)

    async def story() -> None:
        for number in range(100):
            await limits.admit("head", f"10.0.0.{number}", known=False)
        assert len(delays) == 80
        await limits.admit("head", "192.0.2.7", known=True)
        assert len(delays) == 80
        for _ in range(4):
            await limits.admit("head", "192.0.2.7", known=True)
        with pytest.raises(TooManyTries):
            await limits.admit("head", "192.0.2.7", known=True)
        await limits.admit("other", "192.0.2.7", known=False)

    with ThreadPoolExecutor(1) as pool:  # a thread of its own: the browser tests leave a loop in this one
        pool.submit(asyncio.run, story()).result()


@pytest.mark.parametrize(
    "password", ["aaaaaaaaaaaa", "short", "password1234", "administrator12", "qwertyuiop12", "newcomer-newcomer"]
)
def test_weak_passwords_are_refused(administrator: httpx.Client, password: str) -> None:
    answer = administrator.post("/api/people", json={"name": "newcomer", "role": "viewer", "password": password})
    assert answer.status_code == 422 and answer.json()["field"] == "password", answer.text


def test_a_new_password_ends_browsers_and_tokens(own: Application) -> None:
    name = own.newcomer("engineer")
    here, elsewhere = own.sign_in(name, PASSWORD), own.sign_in(name, PASSWORD)
    token = here.post("/api/tokens", json={"name": "script"}).json()["token"]
    program = own.client(headers={"authorization": f"Bearer {token}"})
    assert program.get("/api/fleet").status_code == 200
    assert here.post("/api/me/password", json={"old": "wrong wrong", "new": NEW}).json()["field"] == "old"
    assert here.post("/api/me/password", json={"old": PASSWORD, "new": "aaaaaaaaaaaa"}).status_code == 422
    assert here.post("/api/me/password", json={"old": PASSWORD, "new": NEW}).status_code == 204
    assert here.get("/api/fleet").status_code == 200
    assert elsewhere.get("/api/fleet").status_code == 401 and program.get("/api/fleet").status_code == 401
    own.sign_in(name, NEW)


def test_guessing_the_old_password_is_limited(own: Application) -> None:
    name = own.newcomer("viewer")
    client = own.sign_in(name, PASSWORD)
    statuses = [client.post("/api/me/password", json={"old": "wrong", "new": NEW}).status_code for _ in range(7)]
    assert statuses == [403] * 5 + [429] * 2
    own.sign_in(name, PASSWORD)


def test_browsers_are_listed_and_signed_out(own: Application) -> None:
    name = own.newcomer("viewer")
    here, elsewhere = own.sign_in(name, PASSWORD), own.sign_in(name, PASSWORD)
    rows = here.get("/api/me/sign-ins").json()
    assert [row["here"] for row in rows] == [True, False]
    assert here.delete(f"/api/me/sign-ins/{rows[1]['id']}").status_code == 204
    assert elsewhere.get("/api/fleet").status_code == 401 and here.get("/api/fleet").status_code == 200
    stranger = own.as_("engineer")
    assert stranger.delete(f"/api/me/sign-ins/{rows[0]['id']}").status_code == 404


def test_a_new_sign_in_ends_the_old_one_of_that_browser(own: Application) -> None:
    client = own.as_("viewer")
    old = client.cookies["hardy_gauge"]
    assert enter(client, "viewer", PASSWORD).status_code == 204
    assert client.cookies["hardy_gauge"] != old
    assert own.client(cookies={"hardy_gauge": old}).get("/api/fleet").status_code == 401


def test_roles_and_the_keyring_are_asked_for_again(own: Application) -> None:
    name = own.newcomer("administrator")
    client = own.sign_in(name, PASSWORD)
    with sqlite3.connect(own.folder / "hardy-gauge.db", timeout=30) as connection:
        mine = "(SELECT id FROM person WHERE name = ?)"
        connection.execute(
            f"UPDATE sign_in SET confirmed_us = confirmed_us - 3600000000 WHERE person_id = {mine}", [name]
        )
    for method, path, body in (
        ("PATCH", "people/viewer", {"role": "engineer"}), ("POST", "accounts", {"name": "x", "user": "", "secret": "y"}),
        ("POST", "tokens", {"name": "t"}),
    ):  # fmt: skip
        answer = client.request(method, f"/api/{path}", json=body)
        assert (answer.status_code, answer.json()["field"]) == (403, "confirm"), path
    assert client.get("/api/people").status_code == 200
    assert client.put("/api/capture-rules", json={"rules": []}).status_code == 200
    assert client.post("/api/me/confirm", json={"password": "wrong wrong"}).status_code == 403
    assert client.post("/api/me/confirm", json={"password": PASSWORD}).status_code == 204
    assert client.patch("/api/people/viewer", json={"role": "engineer"}).status_code == 200


def test_the_second_factor(own: Application) -> None:
    name = own.newcomer("engineer")
    client = own.sign_in(name, PASSWORD)
    made = client.post("/api/me/second-factor/new").json()
    totp = pyotp.TOTP(made["secret"])
    assert made["address"].startswith("otpauth://totp/Hardy%20Gauge:engineer-") and "<svg" in made["picture"]
    wrong = {"secret": made["secret"], "code": "000000" if totp.now() != "000000" else "111111"}
    assert client.put("/api/me/second-factor", json=wrong).json()["field"] == "code"
    right = {"secret": made["secret"], "code": totp.now()}
    codes = client.put("/api/me/second-factor", json=right).json()["codes"]
    assert len(set(codes)) == 10
    browser = own.client()
    assert enter(browser, name, PASSWORD).json()["field"] == "code"
    assert enter(browser, name, PASSWORD, code=right["code"]).status_code == 401, "a code is right once"
    assert enter(browser, name, PASSWORD, code=codes[0]).status_code == 204
    assert enter(own.client(), name, PASSWORD, code=codes[0]).status_code == 401, "and so is a recovery code"
    row = next(one for one in own.head.get("/api/people").json()["people"] if one["name"] == name)
    assert row["second_factor"] is True
    assert own.head.patch(f"/api/people/{name}", json={"second_factor": False}).status_code == 200
    assert enter(own.client(), name, PASSWORD).status_code == 204
    raw = b"".join(path.read_bytes() for path in own.folder.glob("hardy-gauge.db*"))
    assert made["secret"].encode() not in raw and codes[1].encode() not in raw


RFC_6238 = [
    (59, "287082"),
    (1111111109, "081804"),
    (1111111111, "050471"),
    (1234567890, "005924"),
    (2000000000, "279037"),
]


@pytest.mark.parametrize(("seconds", "code"), RFC_6238)
def test_codes_are_those_of_the_standard(seconds: int, code: str) -> None:
    """RFC 6238, appendix B (SHA-1), the last six digits."""
    from base64 import b32encode

    from hardy_gauge.store.second_factor import _step

    secret = b32encode(b"12345678901234567890").decode()
    for shift, right in ((0, True), (25, True), (-30, True), (90, False)):
        assert (_step(secret, code, (seconds + shift) * 1_000_000) is not None) is right, shift


def test_every_change_has_its_line_though_it_is_killed(own: Application) -> None:
    """Changes that were stored and lines of them are the same, whenever the application is killed."""
    for _ in range(2):
        client = own.head
        stop = threading.Event()

        def work(client: httpx.Client = client, stop: threading.Event = stop) -> None:
            for number in range(10_000):
                if stop.is_set():
                    return
                try:
                    client.post(
                        "/api/accounts", json={"name": f"a{time.time_ns()}-{number}", "user": "u", "secret": "s"}
                    )
                except httpx.HTTPError:
                    return

        workers = [threading.Thread(target=work) for _ in range(4)]
        for worker in workers:
            worker.start()
        time.sleep(1.5)
        own.kill()
        stop.set()
        for worker in workers:
            worker.join()
        own.start()
    with sqlite3.connect(own.folder / "hardy-gauge.db") as connection:
        names = {name for (name,) in connection.execute("SELECT name FROM account")}
        details = [
            json.loads(d)
            for (d,) in connection.execute(
                "SELECT detail FROM audit WHERE object = '/api/accounts' AND action <> 'refused'"
            )
        ]
    said = {row.removeprefix("account ") for detail in details for row in detail["changes"]}
    assert len(names) > 20 and names == said


def test_a_line_that_is_missing_or_changed_shows(fresh: Application) -> None:
    head = fresh.as_("administrator")
    enter(fresh.client(), "viewer", "wrong wrong wrong")
    fresh.as_("viewer").put("/api/capture-rules", json={"rules": []})
    head.get("/api/bundles/export")
    lines = [json.loads(line) for line in head.get("/api/audit/export").text.splitlines()]
    assert {"sign-in refused", "refused", "export"} <= {line["action"] for line in lines}
    assert [line["id"] for line in lines] == sorted(line["id"] for line in lines)

    def verify() -> tuple[int, str]:
        found = command("audit", "verify", "--data", str(fresh.folder))
        return found.returncode, found.stdout + found.stderr

    code, words = verify()
    assert code == 0 and lines[-1]["hash"] in words
    for change in ("UPDATE audit SET who = 'nobody' WHERE id = 3", "DELETE FROM audit WHERE id = 2"):
        with sqlite3.connect(fresh.folder / "hardy-gauge.db", timeout=30) as connection:
            connection.execute(change)
        wait_until(lambda: verify()[0] == 1)
    assert head.get("/api/audit/state").json()["broken"] == 3


def test_a_second_factor_that_is_required(tmp_path: Path) -> None:
    """Who has to have one can do nothing before it is set up; the others go on."""
    with new_application(tmp_path / "data") as app:
        app.stop()
        app.environment["HARDY_GAUGE_SECOND_FACTOR_OF"] = "administrators"
        app.start()
        head = app.as_("administrator")
        answer = head.get("/api/fleet")
        assert answer.status_code == 403 and answer.json()["field"] == "second_factor"
        assert app.as_("engineer").get("/api/fleet").status_code == 200
        secret = head.post("/api/me/second-factor/new").json()["secret"]
        body = {"secret": secret, "code": pyotp.TOTP(secret).now()}
        assert head.put("/api/me/second-factor", json=body).status_code == 200
        assert head.get("/api/fleet").status_code == 200
