"""Critical 2: an account goes to the hosts it is for, encrypted; the application connects to allowed addresses alone."""

from __future__ import annotations

import socket
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from hardy_gauge.errors import AddressNotAllowed, ProbeError
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential, Endpoint, OutboundPolicy, endpoint_of, networks
from tests.safety.listeners import GreedyDatabase, Listener, listening
from tests.safety.running import ROLES, Application, new_application

SECRET = "the-secret-of-the-keyring-42"


@pytest.fixture(scope="module")
def open_app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """One that may connect to this machine."""
    folder = tmp_path_factory.mktemp("open") / "data"
    with new_application(folder, HARDY_GAUGE_ALLOW_NETWORKS="127.0.0.0/8") as app:
        yield app


@pytest.fixture(scope="module")
def clients(open_app: Application) -> dict[str, httpx.Client]:
    found = {role: open_app.as_(role) for role in ROLES}
    for name, plain in (("open", True), ("closed", False)):
        body = {"name": name, "user": "gauge", "secret": SECRET, "hosts": ["db.example:5432"], "plain_text": plain}
        assert found["administrator"].post("/api/accounts", json=body).status_code == 201
    return found


@pytest.mark.parametrize("scheme", ["http", "postgresql"])
def test_an_engineer_cannot_send_an_account_elsewhere(clients: dict[str, httpx.Client], scheme: str) -> None:
    with listening() as server:
        address = f"{scheme}://127.0.0.1:{server.port}/servers/x"
        tested = clients["engineer"].post("/api/connections/test", json={"address": address, "account": "open"})
        assert tested.status_code == 403 and tested.json()["field"] == "account"
        added = clients["engineer"].post(
            "/api/connections", json={"servers": [{"address": address, "account": "open"}]}
        )
        assert "administrator can add it" in added.json()[0]["error"]
        assert server.received == []


@pytest.mark.parametrize(("scheme", "kind"), [("http", Listener), ("postgresql", GreedyDatabase)])
@pytest.mark.parametrize("account", ["open", "closed"])
def test_no_secret_in_clear_text(
    clients: dict[str, httpx.Client], scheme: str, kind: type[Listener], account: str
) -> None:
    """Only where the entry says so, and never as a clear-text password; also for an administrator."""
    with listening(kind) as server:
        address = f"{scheme}://127.0.0.1:{server.port}/servers/x"
        answer = clients["administrator"].post("/api/connections/test", json={"address": address, "account": account})
        assert answer.status_code == 200 and not answer.json()["answers"], answer.text
        sent = SECRET.encode() in server.everything
        assert sent == (scheme == "http" and account == "open")
        assert SECRET not in answer.text


def test_a_label_or_a_moved_address_does_not_carry_an_account_along(
    clients: dict[str, httpx.Client], tmp_path: Path
) -> None:
    engineer, administrator = clients["engineer"], clients["administrator"]
    assert administrator.patch("/api/accounts/open", json={"groups": ["night"]}).status_code == 200
    with sqlite3.connect(tmp_path / "x.db") as file:
        file.execute("CREATE TABLE t (a)")
    with listening() as server:
        body = {"servers": [{"address": f"http://127.0.0.1:{server.port}/servers/x", "labels": ["night"]}]}
        engineer.post("/api/connections", json=body)
        assert SECRET.encode() not in server.everything


def test_uses_of_an_account_are_in_the_audit_log(clients: dict[str, httpx.Client]) -> None:
    with listening() as server:
        address = f"http://127.0.0.1:{server.port}/servers/audited"
        clients["administrator"].post("/api/connections/test", json={"address": address, "account": "open"})
    lines = clients["administrator"].get("/api/audit").json()
    assert any(line["more"] == {"account": "open", "at": f"127.0.0.1:{server.port}"} for line in lines)
    assert SECRET not in str(lines)


def test_loopback_is_refused_unless_allowed(app: Application, engineer: httpx.Client) -> None:
    with listening() as server:
        for address in (
            f"http://127.0.0.1:{server.port}/servers/x",
            f"postgresql://localhost:{server.port}/x",
            "http://[::1]:1/x",
        ):
            answer = engineer.post("/api/connections/test", json={"address": address}).json()
            assert not answer["answers"] and "HARDY_GAUGE_ALLOW_NETWORKS" in answer["words"], answer
        engineer.post("/api/connections", json={"servers": [{"address": f"http://127.0.0.1:{server.port}/servers/x"}]})
        trial = {"target": {"address": f"http://127.0.0.1:{server.port}/servers/x"}}
        assert engineer.post("/api/trials", json=trial).status_code == 422
        assert server.received == []


ADDRESSES = [
    ("169.254.169.254", False), ("127.8.0.1", False), ("0.0.0.0", False), ("::1", False), ("fe80::1%eth0", False),
    ("::ffff:127.0.0.1", False), ("2002:7f00:1::", False), ("64:ff9b::7f00:1", False), ("224.0.0.1", False),
    ("10.1.2.3", True), ("192.168.0.4", True), ("203.0.113.9", True), ("2001:db8::1", True), ("::ffff:10.0.0.1", True),
]  # fmt: skip


@pytest.mark.parametrize(("address", "allowed"), ADDRESSES)
def test_which_addresses_are_special(address: str, allowed: bool) -> None:
    """Blocks of RFC 6890 (special-purpose addresses), RFC 4291 (mapped), RFC 3056 (6to4) and RFC 6052 (NAT64)."""
    assert OutboundPolicy().allows(address) is allowed
    assert OutboundPolicy(allow=networks(["0.0.0.0/0", "::/0"])).allows(address)


def test_only_some_networks() -> None:
    policy = OutboundPolicy(only=networks(["10.0.0.0/8"]), allow=networks(["127.0.0.1"]))
    assert [policy.allows(a) for a in ("10.9.9.9", "203.0.113.9", "127.0.0.1", "127.0.0.2")] == [
        True,
        False,
        True,
        False,
    ]
    policy.name(["http://127.0.0.2:99/servers/x"])
    assert policy.resolve(Endpoint("127.0.0.2", 99)) == ["127.0.0.2"]
    with pytest.raises(AddressNotAllowed, match="this machine"):
        policy.resolve(Endpoint("127.0.0.2", 98))


def test_a_name_is_resolved_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """The second answer of a name server that changes its mind is never asked for."""
    answers = iter([[(2, 1, 6, "", ("203.0.113.9", 0))], [(2, 1, 6, "", ("127.0.0.1", 0))]])
    asked: list[object] = []
    monkeypatch.setattr(socket, "getaddrinfo", lambda *_, **__: next(answers))

    def connect(address: object, **_: object) -> socket.socket:
        asked.append(address)
        raise ConnectionRefusedError

    monkeypatch.setattr(socket, "create_connection", connect)
    with pytest.raises(ProbeError):
        open_probe("http://changing.example:81/servers/x").identity()
    assert asked == [("203.0.113.9", 81)]


SMUGGLED = [
    "postgresql:///x?host=10.0.0.1", "postgresql://db.example,evil.example/x", "postgresql://db.example/x?host=/tmp",
    "postgresql://db.example/x?hostaddr=10.0.0.1", "postgresql://db.example/x?service=y", "postgresql://u:p@db.example/x",
    "postgresql://db.example/x?options=-cdefault_transaction_read_only%3Doff", "postgresql://db.example/x?passfile=/etc/passwd",
    "postgresql://db.example/x?sslrootcert=/etc/passwd", "http://a:b@db.example/servers/x",
]  # fmt: skip


@pytest.mark.parametrize("address", SMUGGLED)
def test_an_address_cannot_say_more_than_where(address: str) -> None:
    with pytest.raises(ProbeError):
        open_probe(address, Credential("gauge", SECRET, plain_text=True))


def test_entries_and_endpoints() -> None:
    endpoint = endpoint_of("postgresql://DB1.desk.example/loans")
    assert endpoint == Endpoint("db1.desk.example", 5432)
    fits = {"db1.desk.example": True, "db1.desk.example:5432": True, "*.desk.example": True, "*.desk.example:5433": False,
            "desk.example": False, "*.esk.example": False, "db1.desk.example:80": False}  # fmt: skip
    assert {entry: endpoint.fits(entry) for entry in fits} == fits
    assert Endpoint("::1", 80).fits("[::1]:80") and Endpoint("/run/pg", 5432).fits("/run/pg")
    assert endpoint_of("sqlite:///x.db") is None
