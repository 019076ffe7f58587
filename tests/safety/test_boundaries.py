"""Medium 11 and 16 to 19 and the low points: who holds the folder, under which names, which files, what a probe may send."""

from __future__ import annotations

import json
import socket
import sqlite3
import stat
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import httpx
import polars as pl
import psutil
import pytest

from hardy_gauge.core.figures.csv_cells import neutral, neutral_cell
from hardy_gauge.errors import AddressNotAllowed, ProbeError
from hardy_gauge.input_document import InputDocument
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import OutboundPolicy
from hardy_gauge.sandbox.decoder import Decoder
from hardy_gauge.sandbox.limits import MiB
from hardy_gauge.sandbox.process import SandboxEnded
from hardy_gauge.store.blocks import encode
from tests.safety.listeners import FloodingDatabase, listening
from tests.safety.running import Application, command


def test_a_folder_is_held_by_one(app: Application) -> None:
    for words in (["serve", "--port", "8999"], ["capture", "--target", "http://127.0.0.1:9", "--for", "1s"]):
        second = command(*words, "--data", str(app.folder))
        assert second.returncode == 2 and f"process {app.process.pid}" in second.stderr
        assert "Traceback" not in second.stderr


def test_the_folder_is_its_owners_alone(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    app = Application(folder)
    try:
        app.first()
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700
        modes = {path.name: stat.S_IMODE(path.stat().st_mode) for path in folder.iterdir() if path.is_file()}
        assert "hardy-gauge.db" in modes and set(modes.values()) == {0o600}, modes
        app.stop()
        folder.chmod(0o755)
        (folder / "hardy-gauge.db").chmod(0o644)
        app.start()
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700
        assert stat.S_IMODE((folder / "hardy-gauge.db").stat().st_mode) == 0o600
        assert "could be read by others" in app.log.read_text()
    finally:
        app.close()


@pytest.mark.parametrize("host", ["evil.example", "evil.example:8642", "127.0.0.1.evil.example", "10.0.0.1", ""])
def test_other_names_are_not_answered(app: Application, host: str) -> None:
    with httpx.Client(base_url=app.address, trust_env=False) as client:
        for path in ("/api/health", "/", "/api/sign-in/demo"):
            assert client.get(path, headers={"host": host}).status_code == 421
        for name in ("localhost", f"127.0.0.1:{app.port}", f"[::1]:{app.port}", "LOCALHOST:1"):
            assert client.get("/api/health", headers={"host": name}).status_code == 200


def test_a_wrong_option_is_said_in_a_line(tmp_path: Path) -> None:
    found = command("serve", "--port", "0", "--data", str(tmp_path / "d"))
    assert found.returncode == 2 and found.stderr.startswith("port: ") and "Traceback" not in found.stderr


def test_the_demo_is_on_this_machine_alone(tmp_path: Path) -> None:
    found = command("serve", "--host", "0.0.0.0", "--data", str(tmp_path / "d"), HARDY_GAUGE_DEMO="true")
    assert found.returncode == 2 and "this machine alone" in found.stderr


def test_files_say_nothing_of_what_is_there(app: Application, engineer: httpx.Client) -> None:
    said = set()
    for path in ("/etc/passwd", "/nowhere/at/all", str(app.folder / "hardy-gauge.db")):
        answer = engineer.post("/api/connections/test", json={"address": f"sqlite:///{path}"}).json()
        assert not answer["answers"]
        said.add(answer["words"])
    assert len(said) == 1


def test_files_of_an_allowed_folder(tmp_path: Path) -> None:
    allowed, data = tmp_path / "files", tmp_path / "files" / "data"
    data.mkdir(parents=True)
    found = OutboundPolicy(files=allowed, private=data)
    assert found.file(allowed / "x.db") == (allowed / "x.db").resolve()
    (allowed / "link.db").symlink_to("/etc/passwd")
    for path in (allowed / ".." / "y.db", allowed / "link.db", data / "hardy-gauge.db", Path("/etc/passwd")):
        with pytest.raises(AddressNotAllowed, match="not in the folder"):
            found.file(path)


class HostileProbe(BaseHTTPRequestHandler):
    """Gives whatever the test put in ``answers`` for the last part of the path."""

    answers: dict[str, Any] = {}  # noqa: RUF012

    def do_GET(self) -> None:
        made = self.answers.get(self.path.rpartition("/")[2].partition("?")[0])
        if made is None:
            self.send_error(404)
            return
        self.send_response(200)
        self.end_headers()
        try:
            for piece in made() if callable(made) else [made]:
                self.wfile.write(piece)
        except OSError:
            return

    def log_message(self, *_: object) -> None:
        return


@pytest.fixture
def hostile() -> Iterator[str]:
    server = ThreadingHTTPServer(("127.0.0.1", 0), HostileProbe)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}/servers/x"
    server.shutdown()


def endless() -> Iterator[bytes]:
    yield b'{"at_us": 1, "sessions": ['
    while True:
        yield b"[" * 2**20


SESSION = {"session": 1, "user": "u", "service": "s", "database": "d", "statement_key": None, "wait_event": "w"}
FLOODS: dict[str, Any] = {
    "sessions": json.dumps({"at_us": 1, "sessions": [SESSION] * 120_000}).encode(),
    "counters": json.dumps({"at_us": 1, "started_at_us": 1, "values": {f"v{n}": 1.0 for n in range(60_000)}}).encode(),
    "identity": b'{"server": "' + b"x" * 10_000_000 + b'"}', "statements": endless, "settings": endless,
    "schema": b"[" * 5_000_000,
}  # fmt: skip


def test_a_probe_cannot_make_memory_grow(hostile: str) -> None:
    HostileProbe.answers = FLOODS
    probe = HttpProbe(hostile)
    before = psutil.Process().memory_info().rss
    for _ in range(2):
        for ask in (probe.sessions, probe.counters, probe.identity, probe.statements, probe.settings, probe.schema):
            with pytest.raises(ProbeError):
                ask()
    assert psutil.Process().memory_info().rss - before < 500_000_000
    probe.close()


def test_parquet_of_a_probe_is_decoded_under_a_ceiling(hostile: str) -> None:
    large = encode(pl.DataFrame({"text": [f"{n}{'x' * 100_000}" for n in range(6_000)]}))
    decoder = Decoder(256 * MiB)
    before = psutil.Process().memory_info().rss
    with pytest.raises(SandboxEnded):
        decoder.frame(large)
    assert decoder.frame(encode(pl.DataFrame({"a": [1, 2]})))["a"].to_list() == [1, 2], "it begins anew"
    with pytest.raises(SandboxEnded):
        decoder.frame(b"PAR1 no")
    assert decoder._process is None
    assert psutil.Process().memory_info().rss - before < 300_000_000


def test_a_database_cannot_either() -> None:
    before = psutil.Process().memory_info().rss
    with listening(FloodingDatabase) as server, pytest.raises(ProbeError):
        open_probe(f"postgresql://127.0.0.1:{server.port}/x").identity()
    assert psutil.Process().memory_info().rss - before < 700_000_000


def test_a_header_that_is_no_text(app: Application, people: dict[str, httpx.Client]) -> None:
    cookie = people["engineer"].cookies["hardy_gauge"]
    for header in (
        b"x-csrf-token: \xe9\xff",
        b"authorization: Bearer \xe9",
        b"cookie: hardy_gauge=\xe9",
        b"origin: \xe9",
    ):
        with socket.create_connection(("127.0.0.1", app.port), timeout=10) as line:
            line.sendall(
                b"PUT /api/capture-rules HTTP/1.1\r\nhost: 127.0.0.1\r\nconnection: close\r\ncontent-length: 2\r\n"
                + header + (b"" if b"cookie" in header else f"\r\ncookie: hardy_gauge={cookie}".encode()) + b"\r\n\r\n{}"
            )  # fmt: skip
            status = int(line.recv(300).split(b" ")[1])
        assert status in (401, 403), (header, status)


def test_names_beyond_ascii_can_be_downloaded() -> None:
    from hardy_gauge.api.downloads import attachment

    value = attachment('Café "東".csv')["content-disposition"]
    value.encode("latin-1")
    assert "filename*=UTF-8''Caf%C3%A9%20%22%E6%9D%B1%22.csv" in value and '"Caf_ ___.csv"' in value


def test_cells_that_would_be_formulas() -> None:
    """The beginnings that OWASP's "CSV Injection" names."""
    texts = ["=1+1", "+1", "-1", "@SUM(A1)", "\tx", "\rx"]
    assert [neutral_cell(text) for text in texts] == [f"'{text}" for text in texts]
    assert (neutral_cell("SELECT 1"), neutral_cell(-1.5), neutral_cell(None)) == ("SELECT 1", -1.5, None)
    frame = neutral(pl.DataFrame({"a": [*texts, "x", None], "n": range(8)}))
    assert frame["a"].to_list() == [*(f"'{text}" for text in texts), "x", None]


def test_a_newer_store_is_said(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    assert command("settings", "show", "--data", str(folder)).returncode == 0
    with sqlite3.connect(folder / "hardy-gauge.db") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    for words in (["settings", "show"], ["serve", "--port", "8999"], ["audit", "verify"]):
        found = command(*words, "--data", str(folder))
        assert found.returncode == 2 and "newer version" in found.stderr and "Traceback" not in found.stderr


class Example(InputDocument):
    flag: bool = False
    count: int = 1
    share: float | None = None
    name: str = ""
    either: bool | str = False


@pytest.mark.parametrize(("given", "good"), [
    ({"flag": True}, True), ({"flag": 1}, False), ({"flag": "yes"}, False), ({"count": True}, False), ({"share": False}, False),
    ({"name": True}, False), ({"either": "x"}, True), ({"either": True}, True), ({"share": None}, True), ({"count": 2}, True),
])  # fmt: skip
def test_booleans_are_no_numbers(given: dict[str, Any], good: bool) -> None:
    if good:
        Example.model_validate(given)
    else:
        with pytest.raises(ValueError, match=r"expected"):
            Example.model_validate(given)


def test_booleans_over_the_api(engineer: httpx.Client) -> None:
    for body in ({"servers": ["x"], "retired": 1}, {"servers": ["x"], "retired": "yes"}):
        assert engineer.post("/api/connections/retire", json=body).status_code == 422
