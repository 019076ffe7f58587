"""The real OpenTelemetry SDK against the running application: its endpoint and a token are all it is told."""

from __future__ import annotations

import gzip
import os
import subprocess
import sys
import zlib
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import (
    ExportTraceServiceRequest,
    ExportTraceServiceResponse,
)

from tests.conftest import ROOT, wait_until
from tests.patience import PATIENT_S
from tests.postgres import watched_postgres
from tests.safety.running import Application, new_application

CALLS = 40
PROTOBUF = {"content-type": "application/x-protobuf"}


@pytest.fixture(scope="module")
def app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    with new_application(tmp_path_factory.mktemp("clients") / "data") as made:
        yield made


@pytest.fixture(scope="module")
def token(app: Application) -> str:
    made = app.head.post("/api/tokens", json={"name": "services", "scope": "engineer"})
    return str(made.json()["token"])


@pytest.fixture(scope="module")
def sender(app: Application, token: str) -> httpx.Client:
    return app.client(headers={"authorization": f"Bearer {token}"})


def sent(sender: httpx.Client) -> dict[str, float]:
    """Calls by kind of statement, as they came in."""
    rows = sender.get("/api/statements", params={"scope": "fleet", "focus": "PT1H"}).json()["rows"]
    return {row["text"].split()[0].lower(): row["calls"] for row in rows}


@pytest.mark.postgres
@pytest.mark.parametrize("compression", ["gzip", "none"])
@pytest.mark.parametrize("conventions", ["", "database"])
def test_what_a_client_sends_and_a_server_counts_agree(
    app: Application, token: str, sender: httpx.Client, compression: str, conventions: str, tmp_path: Path
) -> None:
    """Calls by statement, as the client's spans and as PostgreSQL itself counts them; with both generations of names."""
    before = sent(sender)
    service = f"desk-{compression}-{conventions or 'old'}"
    with watched_postgres() as (owner, dsn):
        owner.execute("SELECT pg_stat_statements_reset()")
        environment = os.environ | {
            "OTEL_EXPORTER_OTLP_ENDPOINT": f"{app.address}/api/otlp",
            "OTEL_EXPORTER_OTLP_HEADERS": f"authorization=Bearer%20{token}",
            "OTEL_EXPORTER_OTLP_COMPRESSION": compression, "OTEL_SERVICE_NAME": service,
            "OTEL_SEMCONV_STABILITY_OPT_IN": conventions, "NO_PROXY": "127.0.0.1",
        }  # fmt: skip
        command = [
            sys.executable,
            "-m",
            "tests.capture.imports.traced_service",
            f"{dsn}&user=postgres",
            str(tmp_path / "x.db"),
            str(CALLS),
        ]
        ended = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True, timeout=PATIENT_S)
        assert ended.returncode == 0 and "Failed to export" not in ended.stderr, ended.stderr
        counted = {
            text.split()[0].lower(): calls
            for text, calls in owner.execute("SELECT query, calls FROM pg_stat_statements WHERE query ~ 'loan' ")
        }
    assert counted == {"select": CALLS, "update": CALLS // 5}
    wanted = counted | {"insert": CALLS}  # and the calls of a database that is a file

    def agrees() -> bool:
        now = sent(sender)
        return {kind: now.get(kind, 0) - before.get(kind, 0) for kind in wanted} == wanted

    wait_until(agrees)


def test_answers_are_as_the_protocol_says(sender: httpx.Client) -> None:
    message = ExportTraceServiceRequest()
    span = message.resource_spans.add().scope_spans.add().spans.add(name="q", kind=3)
    span.attributes.add(key="db.system.name").value.string_value = "postgresql"
    body = message.SerializeToString()
    for content, more in ((body, {}), (gzip.compress(body), {"content-encoding": "gzip"})):
        answer = sender.post("/api/otlp/v1/traces", content=content, headers=PROTOBUF | more)
        assert answer.status_code == 200 and answer.headers["content-type"] == "application/x-protobuf"
        said = ExportTraceServiceResponse.FromString(answer.content).partial_success
        assert said.rejected_spans == 1 and "without its text" in said.error_message
    plain = ExportTraceServiceRequest()
    plain.resource_spans.add().scope_spans.add().spans.add(name="GET /loans", kind=2)
    answer = sender.post("/api/otlp/v1/traces", content=plain.SerializeToString(), headers=PROTOBUF)
    assert answer.content == b"", "spans of no database are left without a word"


@pytest.mark.parametrize(
    ("content", "headers", "status"),
    [
        (b"\xff\xff\xff", PROTOBUF, 400),
        (b"no gzip", PROTOBUF | {"content-encoding": "gzip"}, 400),
        (gzip.compress(b"x" * 100)[:-20], PROTOBUF | {"content-encoding": "gzip"}, 400),
        (gzip.compress(b"\0" * 200_000_000, 9), PROTOBUF | {"content-encoding": "gzip"}, 413),
        (zlib.compress(b"{}"), {"content-type": "application/json", "content-encoding": "br"}, 415),
        (b"{}", {"content-type": "text/plain"}, 415),
    ],
    ids=["no message", "no gzip", "cut gzip", "a bomb", "another encoding", "another form"],
)
def test_what_is_no_message_is_refused(
    sender: httpx.Client, content: bytes, headers: dict[str, str], status: int
) -> None:
    answer = sender.post("/api/otlp/v1/traces", content=content, headers=headers)
    assert answer.status_code == status and answer.json()["field"], answer.text
