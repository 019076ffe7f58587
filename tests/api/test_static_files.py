"""The built front end is served compressed, and kept by browsers."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from hardy_gauge.api.static_files import BuiltFiles

SCRIPT = b"const shelves = [1, 2, 3];\n" * 400


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    (tmp_path / "index-1a.js").write_bytes(SCRIPT)
    (tmp_path / "letters.woff2").write_bytes(b"wOF2" + bytes(100))
    app = FastAPI()
    app.mount("/assets", BuiltFiles(directory=tmp_path))
    return TestClient(app)


def test_scripts_are_compressed_for_who_takes_it(client: TestClient) -> None:
    answer = client.get("/assets/index-1a.js", headers={"accept-encoding": "gzip"})
    assert answer.headers["content-encoding"] == "gzip" and answer.content == SCRIPT
    assert int(answer.headers["content-length"]) == len(gzip.compress(SCRIPT, 9)) < len(SCRIPT) / 10
    assert "javascript" in answer.headers["content-type"] and answer.headers["vary"] == "accept-encoding"
    plain = client.get("/assets/index-1a.js", headers={"accept-encoding": "identity"})
    assert (
        "content-encoding" not in plain.headers
        and plain.content == SCRIPT
        and plain.headers["vary"] == "accept-encoding"
    )


def test_what_is_kept_is_not_sent_again(client: TestClient) -> None:
    first = client.get("/assets/index-1a.js", headers={"accept-encoding": "gzip"})
    assert "immutable" in first.headers["cache-control"]
    again = client.get(
        "/assets/index-1a.js", headers={"accept-encoding": "gzip", "if-none-match": first.headers["etag"]}
    )
    assert again.status_code == 304 and not again.content


def test_fonts_are_sent_as_they_are_and_nothing_else_is_found(client: TestClient) -> None:
    font = client.get("/assets/letters.woff2", headers={"accept-encoding": "gzip"})
    assert "content-encoding" not in font.headers and font.content.startswith(b"wOF2")
    assert (
        client.get("/assets/nothing.js").status_code == 404 and client.get("/assets/../conftest.py").status_code == 404
    )
