"""Every reader of data that comes from outside, each with true examples, which are changed to try it.

A reader may refuse what it is given with one of its ``refusals``; anything else that comes out of it is a fault of ours.
"""

from __future__ import annotations

import io
import itertools
import json
import multiprocessing
import traceback
import zipfile
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import polars as pl
from google.protobuf.json_format import ParseDict
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from pydantic import ValidationError

from hardy_gauge.capture import bundle_parts, bundles, settings_file
from hardy_gauge.capture.imports import otlp_http, reading
from hardy_gauge.capture.imports.otlp import OtlpContent, log_records
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.capture.server_lists import read_list
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import plan_sheet
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.core.sql.served import predicates_of
from hardy_gauge.core.sql.split import split
from hardy_gauge.core.time.window import parse_window
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import read_file
from hardy_gauge.probes.outbound import endpoint_of
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.blocks import DamagedBlock, decode_block, encode, encode_block
from practice_fleet.scenario.reading import ScenarioError, load_scenario, shipped
from tests.conftest import ROOT

FORKED = multiprocessing.get_context("forkserver")
FORKED.set_forkserver_preload(["tests.fuzz.readers"])
NOW_US = 1_795_000_000_000_000
PLAN = {
    "Plan": {
        "Node Type": "Nested Loop", "Startup Cost": 0.4, "Total Cost": 80.5, "Plan Rows": 7, "Plan Width": 8,
        "Actual Startup Time": 0.1, "Actual Total Time": 2.5, "Actual Rows": 9, "Actual Loops": 1, "Workers": [],
        "Plans": [
            {"Node Type": "Index Scan", "Relation Name": "loan", "Index Name": "loan_due", "Index Cond": "(due < 1)",
             "Plan Rows": 7, "Total Cost": 8.2, "Startup Cost": 0.1, "Parent Relationship": "Outer"},
        ],
    },
    "Execution Time": 2.7,
}  # fmt: skip
SPAN = {
    "resourceSpans": [{
        "resource": {"attributes": [{"key": "service.name", "value": {"stringValue": "loans"}}]},
        "scopeSpans": [{"spans": [{
            "spanId": "ab", "name": "q", "startTimeUnixNano": "1", "endTimeUnixNano": "2000000", "kind": 3,
            "attributes": [{"key": "db.query.text", "value": {"stringValue": "SELECT 1"}}],
        }]}],
    }],
}  # fmt: skip
METRIC = {
    "resourceMetrics": [{"scopeMetrics": [{"metrics": [
        {"name": "pool", "gauge": {"dataPoints": [{"timeUnixNano": "5", "asDouble": 1.5}]}},
        {"name": "took", "histogram": {"aggregationTemporality": 2, "dataPoints": [
            {"timeUnixNano": "5", "count": "3", "sum": 1.0, "bucketCounts": ["1", "2"], "explicitBounds": [0.5]}]}},
    ]}]}],
}  # fmt: skip
CSV = b"end_time,duration_ms,query,user_name\n2026-03-02T09:00:00Z,120,\"SELECT 'a, b'\",maren\n,x,y\n"
JSONL = b'{"end": "2026-03-02T09:00:00Z", "duration": 0.2, "query": "SELECT 1"}\n{"end": 1}\n'
METRICS = b'# TYPE pool gauge\n# UNIT pool_seconds seconds\npool{a="b\\"c"} 4 1.5\npool_total 5 # {x="y"} 1\n# EOF\n'
SETTINGS = b"servers:\n- server: quay-1\n  address: http://quay.example:8700/servers/quay-1\n  labels: [a]\nrules:\n- name: all\n  counters: 10 s\n"


@dataclass(frozen=True)
class Reader:
    """``read`` takes the bytes of a file and a folder it may use. ``seeds`` are made when they are asked for: a process that
    is forked must not have threads of the data frame library.
    """

    read: Callable[[bytes, Path], object]
    seeds: Callable[[], tuple[bytes, ...]]
    refusals: tuple[type[Exception], ...] = (GaugeError,)

    def tried(self, content: bytes, folder: Path) -> None:
        """Read, or be refused in words."""
        try:
            self.read(content, folder)
        except self.refusals as error:
            assert str(error).strip(), f"{type(error).__name__} without words"


def parquet() -> bytes:
    buffer = io.BytesIO()
    pl.DataFrame({"end": [1.5e9], "duration": [0.2], "query": ["SELECT 1"]}).write_parquet(buffer)
    return buffer.getvalue()


def bundle() -> bytes:
    buffer = io.BytesIO()
    server = {
        "name": "a", "cluster": "c", "role": "primary", "engine": "other", "engine_version": "1", "labels": [],
        "abilities": [], "host": {},
    }  # fmt: skip
    manifest = {
        "format": "hardy-gauge bundle", "version": 1, "id": "ab" * 16, "made_us": 1, "since_us": 0, "until_us": 2,
        "servers": [server],
    }  # fmt: skip
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("manifest.json", json.dumps(manifest))
        archive.writestr("statements.parquet", encode(pl.DataFrame({"fingerprint": ["x"], "text": ["SELECT 1"]})))
    return buffer.getvalue()


def bundle_apart(content: bytes, folder: Path) -> object:
    """A bundle's parts, where reading one may end the process."""
    return apart(opened_bundle, (GaugeError,))(content, folder)


def parquet_apart(content: bytes, folder: Path) -> object:
    return apart(parquet_read, (GaugeError,))(content, folder)


def parquet_read(content: bytes, folder: Path) -> object:
    return named("x.parquet")(content, folder)


def text_of(content: bytes) -> str:
    return content.decode("utf-8", "replace")


def named(name: str) -> Callable[[bytes, Path], object]:
    """A file that is handed in under a name: looked at, and read as what it seems to be."""

    def read(content: bytes, folder: Path) -> object:
        path = folder / "handed-in"
        path.write_bytes(content)
        found = reading.look(path, name, {})
        wanted = reading.ImportRequest(format=found.format, server="x", layout=found.layout)
        reading.check(path, name, wanted)
        return reading.read(path, name, wanted, NOW_US, RejectedRows(), lambda _: None)

    return read


def opened_bundle(content: bytes, folder: Path) -> object:
    """What the sandbox's side makes of an archive, without a process for each; its manifest as the application checks it."""
    path = folder / "bundle"
    path.write_bytes(content)
    asks, answers = multiprocessing.Pipe()
    for what, name in (("document", "manifest.json"), ("frame", "statements.parquet"), ("frame", "nothing")):
        asks.send_bytes(json.dumps({"do": what, "name": name, "path": str(path)}).encode())
    answered: list[dict[str, Any]] = []
    serving = SimpleNamespace(recv_bytes=_until_empty(answers), send_bytes=answers.send_bytes)
    bundle_parts.serve(serving, folder)  # type: ignore[arg-type]
    answers.close()
    try:
        while True:
            got = asks.recv_bytes()
            if got.startswith(b"{"):
                answered.append(json.loads(got))
    except EOFError:
        asks.close()
    assert len(answered) == 3, "each question has its answer"
    if "document" in answered[0]:
        return bundles.checked_manifest(answered[0]["document"])
    return None


def _until_empty(connection: Any) -> Callable[[], bytes]:
    def receive() -> bytes:
        if not connection.poll():
            raise EOFError
        return bytes(connection.recv_bytes())

    return receive


def apart(
    read: Callable[[bytes, Path], object], refusals: tuple[type[Exception], ...]
) -> Callable[[bytes, Path], object]:
    """In a process of its own, as the application reads what may end a process: one that is ended by a signal has refused."""

    def made(content: bytes, folder: Path) -> object:
        heard, said = FORKED.Pipe(duplex=False)
        process = FORKED.Process(target=_say, args=(read, refusals, content, folder, said))
        process.start()
        said.close()
        try:
            found = str(heard.recv())
        except EOFError:
            found = ""
        process.join()
        heard.close()
        assert not found, found
        return process.exitcode

    return made


def _say(read: Callable[[bytes, Path], object], refusals: Any, content: bytes, folder: Path, said: Any) -> None:
    """What went wrong that should not have; nothing for a refusal."""
    found = ""
    try:
        read(content, folder)
    except refusals:
        pass
    except BaseException:
        found = traceback.format_exc()
    said.send(found)


def protobuf_spans() -> bytes:
    return bytes(ParseDict(SPAN, ExportTraceServiceRequest()).SerializeToString())


def otlp_message(content: bytes, _: Path) -> object:
    """As each signal in each form."""
    found = []
    for signal, media in itertools.product(otlp_http.REQUESTS, (otlp_http.PROTOBUF, otlp_http.JSON)):
        with suppress(GaugeError):
            document = otlp_http.document_of(signal, media, content)
            rejected = RejectedRows()
            log_records(document)
            OtlpContent().message(document, 1, rejected)
            found.append(otlp_http.encoded(signal, media, otlp_http.partial_success(signal, rejected)))
    with suppress(GaugeError):
        otlp_http.unpacked(content, "gzip", 2**20)
    return found


def from_file(read: Callable[[Path], object], name: str) -> Callable[[bytes, Path], object]:
    def made(content: bytes, folder: Path) -> object:
        path = folder / name
        path.write_bytes(content)
        return read(path)

    return made


def statement(content: bytes, _: Path) -> object:
    text = text_of(content)
    normalise(normalise(text).text)
    split(text)
    return predicates_of(text, {}, "postgres")


def window(content: bytes, _: Path) -> object:
    focus, _, reference = text_of(content).partition("\n")
    return parse_window(focus, reference or "usual", NOW_US)


def settings(content: bytes, _: Path) -> object:
    pairs = (line.partition("=") for line in text_of(content).splitlines())
    return AppSettings(**{key: value for key, _, value in pairs if key})  # type: ignore[arg-type]


READERS: dict[str, Reader] = {
    "plan": Reader(lambda content, _: plan_sheet(read_plan(text_of(content))), lambda: (json.dumps([PLAN]).encode(),)),
    "csv": Reader(named("x.csv"), lambda: (CSV,)),
    "json lines": Reader(named("x.jsonl"), lambda: (JSONL,)),
    "parquet": Reader(parquet_apart, lambda: (parquet(),)),
    "openmetrics": Reader(named("x.txt"), lambda: (METRICS,)),
    "otlp": Reader(named("x.json"), lambda: (json.dumps(SPAN).encode(), json.dumps(METRIC).encode())),
    "otlp over http": Reader(otlp_message, lambda: (protobuf_spans(), json.dumps(METRIC).encode(), b'{"resourceLogs": [{"scopeLogs": [{"logRecords": [{}]}]}]}')),
    "plans": Reader(named("plans.json"), lambda: (json.dumps([PLAN]).encode(),)),
    "sql": Reader(named("x.sql"), lambda: (b"SELECT 1;\n-- a\nUPDATE loan SET due = ? WHERE id = $1;\n",)),
    "bundle": Reader(bundle_apart, lambda: (bundle(),)),
    "server list": Reader(
        lambda content, _: read_list(text_of(content)),
        lambda: (b"http://a.example:1/servers/b\n", b"address,name\npostgresql://a/b,c\n", b"- address: x\n  name: y\n"),
    ),
    "settings file": Reader(lambda content, _: settings_file.read(text_of(content)), lambda: (SETTINGS,)),
    "trial": Reader(from_file(read_file, "trial.yaml"), lambda: tuple(p.read_bytes() for p in sorted((ROOT / "examples").glob("*.yaml")))),
    "scenario": Reader(from_file(load_scenario, "scenario.yaml"), lambda: (shipped("quillhaven").read_bytes(),), (ScenarioError,)),
    "statement": Reader(statement, lambda: (b"SELECT a, count(*) FROM t WHERE b = 'x' AND c IN (1, 2) GROUP BY 1 -- z",)),
    "window": Reader(window, lambda: (b"2026-03-02T09:00:00Z/2026-03-02T10:00:00Z\nserver:quay-1", b"PT1H\nusual")),
    "address": Reader(lambda content, _: endpoint_of(text_of(content)), lambda: (b"postgresql://u@host:5432/x?sslmode=require",)),
    "block": Reader(lambda content, _: decode_block(content), lambda: (encode_block(pl.DataFrame({"at_us": [1, 2]})),), (DamagedBlock,)),
    "settings": Reader(
        settings, lambda: (b"trial_memory=4 GiB\nport=80\nallow_networks=10.0.0.0/8, ::1\nwrite_every_s=2",), (ValidationError,)
    ),
}  # fmt: skip
# those that cannot end the process they are read in, so that they can be read millions of times
IN_PROCESS = tuple(name for name in READERS if name not in ("parquet", "bundle"))
