"""OTLP JSON, made from the OpenTelemetry protocol's own messages (opentelemetry-proto) by protobuf's own JSON form."""

from __future__ import annotations

import base64
import json
from pathlib import Path
from typing import Any

import pytest
from google.protobuf.json_format import MessageToDict
from hypothesis import given, settings
from hypothesis import strategies as st
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceRequest
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.metrics.v1.metrics_pb2 import AGGREGATION_TEMPORALITY_CUMULATIVE, AGGREGATION_TEMPORALITY_DELTA

from hardy_gauge.capture.imports import import_service
from hardy_gauge.capture.imports.otlp import OtlpContent
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.store.database import Store
from tests.capture.imports.bench import NOW, bring, left, stored

START = 1_772_442_000_000_000_000
text = st.text(
    st.characters(codec="utf-8", exclude_characters="\0", exclude_categories=("Cs",)), min_size=1, max_size=20
)
calls = st.lists(
    st.tuples(st.integers(0, 10**12), st.integers(0, 10**11), text, text, text, st.integers(0, 2**53)),
    min_size=1,
    max_size=6,
)


def spans(rows: list[tuple[int, int, str, str, str, int]], old: bool = False) -> dict[str, Any]:
    """A request with these calls: start, length (ns), text, database, service, rows; by the names of now or before."""
    request = ExportTraceServiceRequest()
    for number, (start, length, sql, database, service, returned) in enumerate(rows):
        resource = request.resource_spans.add()
        resource.resource.attributes.add(key="service.name").value.string_value = service
        span = resource.scope_spans.add().spans.add(name="SELECT", kind=3)
        span.trace_id, span.span_id = number.to_bytes(16, "big"), (number + 1).to_bytes(8, "big")
        span.start_time_unix_nano, span.end_time_unix_nano = START + start, START + start + length
        names = (
            ("db.statement", "db.name", "net.peer.name", "db.system")
            if old
            else ("db.query.text", "db.namespace", "server.address", "db.system.name")
        )
        for key, value in zip(names, (sql, database, "db-7", "sqlite"), strict=True):
            span.attributes.add(key=key).value.string_value = value
        span.attributes.add(key="db.response.returned_rows").value.int_value = returned
    return as_json(request)


def as_json(message: Any) -> dict[str, Any]:
    """Protobuf's JSON form, with the two differences that OTLP states: ids in hex, enums as numbers."""
    document = MessageToDict(message, use_integers_for_enums=True)
    for resource in document.get("resourceSpans", []):
        for scope in resource["scopeSpans"]:
            for span in scope["spans"]:
                for key in ("traceId", "spanId"):
                    span[key] = base64.b64decode(span[key]).hex()
    return json.loads(json.dumps(document))  # type: ignore[no-any-return]


def content(document: Any) -> tuple[OtlpContent, RejectedRows]:
    found, rest = OtlpContent(), RejectedRows()
    found.message(document, 1, rest)
    return found, rest


@given(calls, st.booleans())
@settings(deadline=None, max_examples=60)
def test_every_span_of_the_protocols_messages_is_an_execution(
    rows: list[tuple[int, int, str, str, str, int]], old: bool
) -> None:
    found, rest = content(spans(rows, old))
    assert not rest.count
    for (start, length, sql, database, service, returned), one in zip(rows, found.executions, strict=True):
        assert one.ended_at_us == (START + start + length) // 1000 and one.duration_s == pytest.approx(length / 1e9)
        assert (one.text, one.database, one.service, one.rows_returned) == (sql, database, service, returned)
        assert (one.server, one.engine) == ("db-7", "sqlite")
    assert len({one.span for one in found.executions}) == len(rows)


ROWS = [(i * 10**9, 5 * 10**6, f"SELECT title FROM title WHERE id = {i}", "catalog", "search", i) for i in range(90)]


def test_spans_are_stored_once_with_their_sums(store: Store, tmp_path: Path) -> None:
    document = spans(ROWS)
    row = bring(store, tmp_path, json.dumps(document), "spans.json")
    assert (row.kind, row.accepted, row.rejected_count, row.servers) == ("otlp", 90, 0, ["db-7"])
    assert len(stored(store, "execution", "db-7")) == 90
    sums = stored(store, "statement", "db-7")
    assert sums["calls"].to_list() == [60.0, 30.0] and sums["time_s"].sum() == pytest.approx(0.45)
    again = bring(store, tmp_path, json.dumps(document) + "\n", "spans.json")
    assert again.accepted == 0 and again.rejected["reasons"] == {"it is there already": 90}
    assert stored(store, "statement", "db-7")["calls"].sum() == 90, "what is there already is not summed again"


def test_messages_received_over_a_day_are_one_import(store: Store) -> None:
    counted: Any = {}
    for part in (ROWS[:30], ROWS[30:], ROWS[:30]):
        rest = import_service.receive(store, spans(part), "collector", NOW, counted)
        assert rest.count in (0, 30), "a message sent again is not taken again"
    assert stored(store, "statement", "db-7")["calls"].sum() == 90
    import_service.undo(store, 1)
    assert stored(store, "execution", "db-7").is_empty()


def test_what_is_no_database_call_is_left_with_its_name(store: Store, tmp_path: Path) -> None:
    document = spans(ROWS[:2])
    first, second = (r["scopeSpans"][0]["spans"][0] for r in document["resourceSpans"])
    first["attributes"] = []
    second["endTimeUnixNano"] = "7"
    row = bring(store, tmp_path, f"{json.dumps(document)}\n{{}}\nx\n", "spans.jsonl")
    assert left(row) == [
        (1, f"a span without a start and an end after it: {second['spanId']}"), (1, "not a span of a database: SELECT"),
        (2, "neither resourceSpans nor resourceMetrics"), (3, "not a line of JSON"),
    ]  # fmt: skip


def metrics() -> dict[str, Any]:
    request = ExportMetricsServiceRequest()
    resource = request.resource_metrics.add()
    resource.resource.attributes.add(key="server.address").value.string_value = "db-7"
    scope = resource.scope_metrics.add()
    gauge = scope.metrics.add(name="pool.open").gauge
    for i, value in enumerate((3.5, 4.5)):
        gauge.data_points.add(time_unix_nano=START + i * 60 * 10**9, as_double=value).attributes.add(
            key="pool"
        ).value.string_value = "a"
    up = scope.metrics.add(name="calls").sum
    up.is_monotonic, up.aggregation_temporality = True, AGGREGATION_TEMPORALITY_CUMULATIVE
    for i, count in enumerate((100, 160, 40)):
        up.data_points.add(time_unix_nano=START + i * 60 * 10**9, as_int=count)
    spread = scope.metrics.add(name="db.client.operation.duration").histogram
    spread.aggregation_temporality = AGGREGATION_TEMPORALITY_DELTA
    spread.data_points.add(
        start_time_unix_nano=START,
        time_unix_nano=START + 30 * 10**9,
        count=60,
        sum=1.5,
        bucket_counts=[60],
        explicit_bounds=[],
    )
    return as_json(request)


def test_metrics_are_figures_and_what_counts_up_is_a_rate(store: Store, tmp_path: Path) -> None:
    row = bring(store, tmp_path, json.dumps(metrics()), "metrics.json")
    frame = stored(store, "metric", "db-7")
    by_name = {c: frame[c].drop_nulls().to_list() for c in frame.columns if c.startswith("own.")}
    assert by_name == {
        "own.pool.open pool=a": [3.5, 4.5], "own.calls per s": [1.0],
        "own.db.client.operation.duration per s count": [2.0], "own.db.client.operation.duration per s sum": [pytest.approx(0.05)],
    }  # fmt: skip
    assert sorted(row.rejected["reasons"]) == [
        "it fell since the reading before, so it was reset between them",
        "the first reading of what counts up has none to compare with",
    ]


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["resourceSpans", "scopeSpans", "spans", "attributes", "key", "value", "resourceMetrics", "scopeMetrics", "metrics", "name", "gauge", "sum", "dataPoints", "timeUnixNano", "asInt", "stringValue", "startTimeUnixNano", "endTimeUnixNano"]), inner, max_size=5),
    max_leaves=25,
)  # fmt: skip


@given(json_values)
@settings(deadline=None, max_examples=200)
def test_no_document_breaks_it(document: Any) -> None:
    found, rest = content(document)
    assert found.executions or found.figures or rest.count or document
