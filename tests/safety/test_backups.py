"""Backups while the application records and is read, restored elsewhere; the keyring's key rotated; TLS of its own."""

from __future__ import annotations

import os
import sqlite3
import ssl
import threading
import time
import zipfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from cryptography import x509
from cryptography.fernet import Fernet
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from sqlalchemy import text

from hardy_gauge.settings import AppSettings
from hardy_gauge.store import backup as backups
from hardy_gauge.store import backup_schedule as schedule
from hardy_gauge.store.backup import BadBackup
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring, KeyringError
from hardy_gauge.store.models import Account
from tests.conftest import wait_until
from tests.faults.test_serve_killed import LiveServer
from tests.patience import PATIENT_S
from tests.safety.running import Application, command, new_application

HOUR_US = 3_600_000_000


def labels(folder: Path) -> set[str]:
    with closing(sqlite3.connect(folder / "hardy-gauge.db")) as connection:
        return {name for (name,) in connection.execute("SELECT name FROM account")}


def test_a_backup_under_load_has_every_acknowledged_row(own: Application, tmp_path: Path) -> None:
    client, acknowledged, stop = own.as_("administrator"), [], threading.Event()

    def write() -> None:
        while not stop.is_set():
            name = f"a{time.time_ns()}"
            if client.post("/api/accounts", json={"name": name, "user": "u", "secret": "s"}).status_code == 201:
                acknowledged.append(name)

    def look() -> None:
        reader = own.as_("viewer")
        while not stop.is_set():
            assert reader.get("/api/fleet").status_code == 200

    threads = [threading.Thread(target=job) for job in (write, look, look)]
    for thread in threads:
        thread.start()
    wait_until(lambda: len(acknowledged) > 5)
    before = list(acknowledged)
    found = command("backup", f"{tmp_path}/b/", "--data", str(own.folder))
    stop.set()
    for thread in threads:
        thread.join()
    assert found.returncode == 0 and "checked" in found.stdout, found.stderr
    (made,) = (tmp_path / "b").iterdir()
    assert made.stat().st_mode & 0o077 == 0
    there = command("restore", str(made), "--data", str(tmp_path / "elsewhere"))
    assert there.returncode == 0 and "keyring's key is not in a backup" in there.stdout
    assert set(before) <= labels(tmp_path / "elsewhere")
    again = command("restore", str(made), "--data", str(tmp_path / "elsewhere"))
    assert again.returncode == 2 and "there is a store" in again.stderr
    assert command("restore", str(made), "--data", str(tmp_path / "elsewhere"), "--replace").returncode == 0
    assert len(list((tmp_path / "elsewhere").glob("*.replaced-*"))) == 1
    running = command("restore", str(made), "--data", str(own.folder), "--replace")
    assert running.returncode == 2 and f"process {own.process.pid}" in running.stderr


def test_a_backup_while_a_fleet_is_recorded_and_read(tmp_path: Path) -> None:
    """22 servers are recorded and 10 browsers read: every block stored before the backup began is in what is restored."""
    servers = [LiveServer(f"s{number}") for number in range(22)]
    options = {"HARDY_GAUGE_WRITE_EVERY_S": "1", "HARDY_GAUGE_ALLOW_NETWORKS": "127.0.0.0/8"}
    with new_application(tmp_path / "data", **options) as app:
        assert (
            app.head.put("/api/capture-rules", json={"rules": [{"name": "often", "counters": "10 s"}]}).status_code
            == 200
        )
        body = {"servers": [{"address": one.address} for one in servers]}
        assert not any(row["error"] for row in app.head.post("/api/connections", json=body).json())
        stop, wrong = threading.Event(), list[int]()

        def look(reader: httpx.Client) -> None:
            while not stop.is_set():
                answers = [reader.get(path).status_code for path in ("/api/fleet", "/api/tape")]
                wrong.extend(status for status in answers if status != 200)

        threads = [threading.Thread(target=look, args=(app.as_("viewer"),)) for _ in range(10)]
        for thread in threads:
            thread.start()
        wait_until(lambda: len({server for _, server, _, _ in blocks(app.folder)}) == 22)
        before = blocks(app.folder)
        made = command("backup", f"{tmp_path}/b/", "--data", str(app.folder))
        stop.set()
        for thread in threads:
            thread.join()
        assert made.returncode == 0 and not wrong, (made.stderr, wrong)
    for one in servers:
        one.http.shutdown()
    (file,) = (tmp_path / "b").iterdir()
    assert command("restore", str(file), "--data", str(tmp_path / "elsewhere")).returncode == 0
    kept = blocks(tmp_path / "elsewhere")
    assert len(before) >= 22 and {(kind, server, start) for kind, server, start, _ in before} <= {
        (kind, server, start) for kind, server, start, _ in kept
    }
    assert sum(rows for *_, rows in kept) >= sum(rows for *_, rows in before)


def blocks(folder: Path) -> set[tuple[str, int, int, int]]:
    """The blocks of series that are stored: kind, server, beginning, rows."""
    with closing(sqlite3.connect(folder / "hardy-gauge.db", timeout=30)) as connection:
        return set(connection.execute("SELECT kind, server_id, start_us, rows FROM segment"))


def test_an_encrypted_backup(tmp_path: Path, store: Store) -> None:
    to = tmp_path / "x.backup"
    backups.back_up(store.path, to, "open sesame")
    content = to.read_bytes()
    assert b"SQLite format" not in content and b"manifest" not in content
    for passphrase, words in (("", "encrypted"), ("wrong", "another one")):
        with pytest.raises(BadBackup, match=words):
            backups.restore(to, tmp_path / "no", passphrase)
    for at in (30, len(content) // 2, len(content) - 1):
        to.write_bytes(content[:at] + bytes([content[at] ^ 1]) + content[at + 1 :])
        with pytest.raises(BadBackup):
            backups.restore(to, tmp_path / "no", "open sesame")
    to.write_bytes(content[: len(content) // 2])
    with pytest.raises(BadBackup):
        backups.restore(to, tmp_path / "no", "open sesame")
    assert not (tmp_path / "no" / "hardy-gauge.db").exists() and not list((tmp_path / "no").glob(".restore*"))
    to.write_bytes(content)
    backups.restore(to, tmp_path / "yes", "open sesame")
    Store(tmp_path / "yes" / "hardy-gauge.db").close()


def test_a_damaged_backup_is_refused_whole(tmp_path: Path, store: Store) -> None:
    to = tmp_path / "x.backup"
    backups.back_up(store.path, to)
    with zipfile.ZipFile(to) as old, zipfile.ZipFile(tmp_path / "y.backup", "w") as new:
        new.writestr("manifest.json", old.read("manifest.json"))
        body = bytearray(old.read("store.db"))
        body[5000] ^= 1
        new.writestr("store.db", bytes(body))
    for bad in (tmp_path / "y.backup", Path(__file__), tmp_path / "missing"):
        with pytest.raises(BadBackup):
            backups.restore(bad, tmp_path / "no")
    assert not (tmp_path / "no" / "hardy-gauge.db").exists()


def test_on_a_schedule(tmp_path: Path) -> None:
    settings = AppSettings(data=tmp_path)
    store = Store(settings.store_path)
    now = 1_795_000_000_000_000
    assert schedule.run_due(store, settings, now) is None
    with store.write() as session:
        schedule.set_schedule(session, schedule.BackupSchedule(every_hours=2, keep=2))
    made = []
    for hour in range(6):
        due = schedule.run_due(store, settings, now + hour * HOUR_US)
        if due is not None:
            made.append(hour)
            os.utime(settings.backup_folder / due.name, ns=(0, (now + hour * HOUR_US) * 1000))
    assert made == [0, 2, 4] and len(schedule.backups_in(settings.backup_folder)) == 2
    store.close()


def test_over_the_api_administrators_alone(own: Application) -> None:
    head, engineer = own.as_("administrator"), own.as_("engineer")
    assert engineer.post("/api/storage/backups").status_code == 403
    assert engineer.put("/api/storage/backups", json={"every_hours": 1}).status_code == 403
    assert head.put("/api/storage/backups", json={"every_hours": 24, "keep": 3}).json()["schedule"] == {
        "every_hours": 24,
        "keep": 3,
    }
    made = head.post("/api/storage/backups").json()
    assert [one["name"] for one in head.get("/api/storage").json()["backups"]] == [made["name"]]
    assert (own.folder / "backups" / made["name"]).stat().st_mode & 0o077 == 0


def test_a_copy_is_made_before_a_migration(tmp_path: Path) -> None:
    from alembic import command as alembic

    from hardy_gauge.store.migrate import config

    store = Store(tmp_path / "hardy-gauge.db")
    with store.engine.begin() as connection:
        made = config()
        made.attributes["connection"] = connection
        alembic.downgrade(made, "0007")
    store.close()
    assert not list(tmp_path.glob("*.before-*"))
    Store(tmp_path / "hardy-gauge.db").close()
    (copy,) = tmp_path.glob("*.before-0007-*")
    with closing(sqlite3.connect(copy)) as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone() == ("0007",)
    assert copy.stat().st_mode & 0o077 == 0
    Store(tmp_path / "hardy-gauge.db").close()
    assert len(list(tmp_path.glob("*.before-*"))) == 1


def test_freed_space_goes_back(tmp_path: Path) -> None:
    from hardy_gauge.store.limits import vacuum_step

    store = Store(tmp_path / "hardy-gauge.db")
    with store.write() as session:
        session.execute(text("CREATE TABLE bulk (x BLOB)"))
        for _ in range(50):
            session.execute(text("INSERT INTO bulk VALUES (zeroblob(1000000))"))
    with store.write() as session:
        session.execute(text("DROP TABLE bulk"))

    def pages() -> int:
        with store.read() as session:
            return int(session.execute(text("PRAGMA page_count")).scalar_one())

    before = pages()
    vacuum_step(store)
    middle = pages()
    for _ in range(3):
        vacuum_step(store)
    assert before > middle > pages() and pages() < before / 10
    store.close()


def test_the_key_is_rotated_while_it_runs(fresh: Application) -> None:
    fresh.head.post("/api/accounts", json={"name": "watch", "user": "g", "secret": "planted"})
    before = (fresh.folder / "keyring.key").read_text()
    assert command("keyring", "check", "--data", str(fresh.folder)).returncode == 0
    found = command("keyring", "rotate", "--data", str(fresh.folder))
    assert found.returncode == 0 and "1 secret is" in found.stdout
    after = (fresh.folder / "keyring.key").read_text()
    assert before not in after and (fresh.folder / "keyring.key").stat().st_mode & 0o077 == 0
    with closing(sqlite3.connect(fresh.folder / "hardy-gauge.db")) as connection:
        (secret,) = connection.execute("SELECT secret FROM account").fetchone()
    assert Keyring(fresh.folder).open(secret) == "planted"
    (fresh.folder / "keyring.key").write_text(before)
    lost = command("keyring", "check", "--data", str(fresh.folder))
    assert lost.returncode == 2 and "another key" in lost.stderr and "Traceback" not in lost.stderr


def test_a_key_that_is_missing_or_another_is_said(fresh: Application) -> None:
    """Within its own health at once; a missing key is not made anew behind everybody's back."""
    fresh.head.post("/api/accounts", json={"name": "watch", "user": "g", "secret": "planted"})
    key = fresh.folder / "keyring.key"
    kept = key.read_text()

    def keyring_state() -> tuple[int, str, str]:
        answer = fresh.head.get("/api/ready")
        check = next(one for one in answer.json()["checks"] if one["name"] == "keyring")
        return answer.status_code, check["state"], check["words"]

    assert keyring_state()[:2] == (200, "fine")
    key.unlink()
    status, state, words = keyring_state()
    assert (status, state) == (503, "wrong") and "missing" in words and not key.exists()
    key.write_bytes(Fernet.generate_key())
    status, state, words = keyring_state()
    assert (status, state) == (503, "wrong") and "another key" in words
    key.write_text(kept)
    assert keyring_state()[:2] == (200, "fine")


def test_a_rotation_that_is_interrupted_can_be_read(tmp_path: Path, store: Store) -> None:
    keyring = Keyring(tmp_path)
    secret = keyring.close("one")
    keyring.add_key()
    assert keyring.open(secret) == "one" and keyring.open(keyring.close("two")) == "two"


def test_where_the_key_comes_from(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    key = Fernet.generate_key().decode()
    (tmp_path / "k").write_text(f"{key}\n")
    ways = {
        "HARDY_GAUGE_KEYRING_KEY": key, "HARDY_GAUGE_KEYRING_KEY_FILE": str(tmp_path / "k"),
        "HARDY_GAUGE_KEYRING_KEY_COMMAND": f"cat {tmp_path / 'k'}",
    }  # fmt: skip
    made = []
    for name, value in ways.items():
        with monkeypatch.context() as context:
            context.setenv(name, value)
            made.append(Keyring(tmp_path).close("s"))
            with pytest.raises(KeyringError, match="same-keys"):
                Keyring(tmp_path).add_key()
    monkeypatch.setenv("HARDY_GAUGE_KEYRING_KEY", key)
    assert {Keyring(tmp_path).open(one) for one in made} == {"s"} and not (tmp_path / "keyring.key").exists()
    for name, value in {"KEY": "no key", "KEY_FILE": "/nowhere", "KEY_COMMAND": "false"}.items():
        with monkeypatch.context() as context:
            context.delenv("HARDY_GAUGE_KEYRING_KEY")
            context.setenv(f"HARDY_GAUGE_KEYRING_{name}", value)
            with pytest.raises(KeyringError):
                Keyring(tmp_path).close("s")
    assert Account.SECRETS == ("secret",)


def certificate(folder: Path) -> tuple[Path, Path]:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
        .serial_number(1).not_valid_before(now - timedelta(1)).not_valid_after(now + timedelta(1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), False).sign(key, hashes.SHA256())
    )  # fmt: skip
    (folder / "cert.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    (folder / "key.pem").write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return folder / "cert.pem", folder / "key.pem"


def test_tls_of_its_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import tests.safety.running as running

    cert, key = certificate(tmp_path)
    context = ssl.create_default_context(cafile=str(cert))
    monkeypatch.setattr(running, "wait_for", lambda *_: None)
    app = Application(tmp_path / "data", "--tls-cert", str(cert), "--tls-key", str(key))
    try:
        app.address = f"https://localhost:{app.port}"
        client = app.client(verify=context)
        began = time.monotonic()
        while True:
            try:
                headers = client.get("/api/health").headers
                break
            except httpx.HTTPError:
                assert time.monotonic() - began < PATIENT_S
                time.sleep(0.1)
        assert headers["strict-transport-security"].startswith("max-age=")
        assert "https://" in app.log.read_text()
        with pytest.raises(httpx.HTTPError):
            httpx.get(f"http://localhost:{app.port}/api/health", trust_env=False, timeout=5)
        code = app.log.read_text().rpartition(" is ")[2].strip()
        body = {"code": code, "name": "head", "password": running.PASSWORD}
        answer = client.post("/api/first", json=body)
        cookie = answer.headers["set-cookie"]
        assert (
            answer.status_code == 204 and "; Secure" in cookie and cookie.startswith("__Host-") and "Path=/" in cookie
        )
        assert client.get("/api/fleet").status_code == 200
        plain = {"cookie": f"hardy_gauge={client.cookies['__Host-hardy_gauge']}"}
        assert app.client(verify=context).get("/api/fleet", headers=plain).status_code == 401
    finally:
        app.close()
    half = command("serve", "--tls-cert", str(cert), "--data", str(tmp_path / "other"))
    assert half.returncode == 2 and "go together" in half.stderr
