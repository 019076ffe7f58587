"""High 4 and 6: bodies have a ceiling and have to come; files that unpack to gigabytes are read apart and refused."""

from __future__ import annotations

import io
import json
import socket
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import polars as pl
import psutil
import pytest

from hardy_gauge.api.body_limits import ceiling
from hardy_gauge.capture.bundle_parts import BadBundle, BundleParts
from hardy_gauge.capture.imports import sandboxed_reading
from hardy_gauge.capture.imports.rejected_rows import ImportRefused
from hardy_gauge.store.blocks import encode
from tests.conftest import wait_until
from tests.safety.running import Application


def raw(app: Application, head: str, pieces: list[bytes], wait_s: float = 30) -> bytes:
    """What comes back when a request is sent piece by piece."""
    with socket.create_connection(("127.0.0.1", app.port), timeout=wait_s) as line:
        line.sendall(head.encode())
        try:
            for piece in pieces:
                line.sendall(piece)
            return line.recv(65536)
        except (BrokenPipeError, ConnectionResetError):
            return b""


@pytest.mark.parametrize("path", ["sign-in", "first"])
def test_a_large_body_is_refused_before_sign_in(app: Application, path: str) -> None:
    head = f"POST /api/{path} HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-type: application/json\r\n"
    assert b"413" in raw(app, f"{head}content-length: 100000000\r\n\r\n", [])
    chunk = b"10000\r\n" + b" " * 0x10000 + b"\r\n"
    assert b"413" in raw(app, f"{head}transfer-encoding: chunked\r\n\r\n", [chunk] * 4)


def test_a_body_that_nobody_may_send_is_not_read(app: Application) -> None:
    head = "POST /api/imports?name=x HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-length: 5000000000\r\n\r\n"
    assert b"401" in raw(app, head, [])


def test_every_body_has_a_ceiling(engineer: httpx.Client, app: Application) -> None:
    most, stored = ceiling("/api/capture-rules")
    assert not stored and most == 2 * 2**20
    answer = engineer.put("/api/capture-rules", content=b" " * (most + 1), headers={"content-type": "application/json"})
    assert (answer.status_code, answer.json()["field"]) == (413, "body")
    assert engineer.put("/api/capture-rules", json={"rules": []}).status_code == 200


def test_unfinished_bodies_end_and_others_go_on(app: Application) -> None:
    """Half a body each over many lines: the application answers others meanwhile, and ends them."""
    lines = []
    for _ in range(40):
        line = socket.create_connection(("127.0.0.1", app.port), timeout=40)
        line.sendall(b"POST /api/sign-in HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-length: 100\r\n\r\n{")
        lines.append(line)
    time.sleep(0.5)
    assert app.client().get("/api/health").status_code == 200
    with ThreadPoolExecutor(len(lines)) as pool:
        answers = list(pool.map(lambda line: line.recv(300), lines))
    assert {answer.split(b" ")[1] for answer in answers} == {b"408", b"503"}
    for line in lines:
        line.close()
    assert app.client().post("/api/sign-in", json={"name": "x", "password": "y"}).status_code == 401


def zip_bomb() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("manifest.json", b"[" + b" " * 500_000_000 + b"]")
    return buffer.getvalue()


@pytest.fixture(scope="module")
def large(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A table whose 50 million rows take 1.6 GB when they are read, in a small file."""
    path = tmp_path_factory.mktemp("bomb") / "bomb.parquet"
    piece = pl.select(
        text=pl.repeat("SELECT 1", 5_000_000), duration=pl.repeat(1.0, 5_000_000), ended_at=pl.repeat(1, 5_000_000)
    )
    pl.concat([piece.lazy()] * 10).sink_parquet(path)
    assert path.stat().st_size < 5_000_000
    return path


def test_an_import_that_unpacks_to_gigabytes_is_refused(
    large: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("HARDY_GAUGE_IMPORT_MEMORY", "300 MiB")
    before = psutil.Process().memory_info().rss
    with pytest.raises(ImportRefused, match="HARDY_GAUGE_IMPORT_MEMORY"):
        sandboxed_reading.look(large, "bomb.parquet", {})
    deep = tmp_path / "deep.json"
    deep.write_text("[" * 1_000_000)
    assert sandboxed_reading.look(deep, "deep.json", {}).format in ("plans", "table")
    assert psutil.Process().memory_info().rss - before < 300_000_000


def test_a_bundle_that_unpacks_to_gigabytes_is_refused(
    large: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("HARDY_GAUGE_IMPORT_MEMORY", "300 MiB")
    path = tmp_path / "x.bundle"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("statements.parquet", large.read_bytes())
        archive.writestr("small.parquet", encode(pl.DataFrame({"a": [1]})))
    with BundleParts(path) as parts, pytest.raises(BadBundle, match="memory"):
        parts.frame("statements.parquet")
    with BundleParts(path) as parts:
        assert parts.frame("small.parquet")["a"].to_list() == [1]
    path.write_bytes(zip_bomb())
    with BundleParts(path) as parts, pytest.raises(BadBundle, match="more than"):
        parts.document("manifest.json")


def test_over_the_api_memory_stays(app: Application, engineer: httpx.Client, large: Path) -> None:
    process = psutil.Process(app.process.pid)
    before = process.memory_info().rss
    answer = engineer.post("/api/bundles", content=zip_bomb(), headers={"content-type": "application/octet-stream"})
    assert answer.status_code == 422 and answer.json()["field"] == "file"
    looked = engineer.post("/api/imports", params={"name": "bomb.parquet"}, content=large.read_bytes())
    if looked.status_code == 201:
        layout = looked.json()["layout"]
        wanted = {"format": "table", "server": "bomb", "layout": layout}
        number = looked.json()["id"]
        engineer.post(f"/api/imports/{number}/start", json=wanted)
        wait_until(lambda: engineer.get(f"/api/imports/{number}").json()["state"] not in ("running", "open"))
        assert engineer.get(f"/api/imports/{number}").json()["state"] == "failed"
    else:
        assert looked.status_code == 422, looked.text
    assert process.memory_info().rss - before < 200_000_000


def test_names_within_a_bundle_keep_to_the_rules(app: Application, engineer: httpx.Client) -> None:
    """Low: a server in a bundle cannot be called what no server may be called."""
    buffer = io.BytesIO()
    server = {"name": "../x", "cluster": "c", "role": "single", "engine": "e", "engine_version": "1", "abilities": [],
              "labels": [], "host": {}}  # fmt: skip
    manifest = {
        "format": "hardy-gauge bundle",
        "version": 1,
        "id": "0" * 32,
        "made_us": 1,
        "since_us": 1,
        "until_us": 2,
    }
    for name in ("../x", " x", "a\nb", "a/b"):
        with zipfile.ZipFile(buffer, "w") as archive:
            archive.writestr("manifest.json", json.dumps(manifest | {"servers": [server | {"name": name}]}))
        answer = engineer.post("/api/bundles", content=buffer.getvalue())
        assert answer.status_code == 422 and "servers.0.name" in answer.json()["detail"]


def test_a_path_with_a_line_end_has_a_ceiling_too(engineer: httpx.Client) -> None:
    """Whatever a path holds, its body has a ceiling, and it is answered like any path that is not there."""
    for path in ("/api/accounts/%0Ax", "/api/otlp/v1/a%0Db%0A", "/api/%0A"):
        assert engineer.post(path, json={"a": 1}).status_code in (403, 404, 405)
        assert engineer.patch(path, json={"a": 1}).status_code in (403, 404, 405)
