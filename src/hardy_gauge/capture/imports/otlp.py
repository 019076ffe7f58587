"""OTLP JSON: database client spans become executions, metrics become figures.

Sources: the OpenTelemetry protocol (OTLP) 1.x, "JSON Protobuf Encoding"; semantic conventions for database client calls
(``db.query.text``, ``db.system.name``, ``db.namespace``, ``server.address``) with the names they had before.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from hardy_gauge.capture.imports.openmetrics import Figure, rate_name
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.core.activity.counters import growth

TEXT = ("db.query.text", "db.statement")
SYSTEM = ("db.system.name", "db.system")
DATABASE = ("db.namespace", "db.name")
SERVER = ("server.address", "net.peer.name", "net.sock.peer.addr")
USER = ("db.user",)
ROWS = ("db.response.returned_rows",)
CUMULATIVE = ("2", "AGGREGATION_TEMPORALITY_CUMULATIVE")
MOST_ATTRIBUTES = 200
NO_DATABASE = "not a span of a database"
# by server and series: when it was read last (nanoseconds), and what it was
Counted = dict[tuple[str, str], tuple[int, float]]


@dataclass(frozen=True)
class SpanExecution:
    """One database call as its client saw it: ``duration_s`` holds the way there and back. ``span`` names it."""

    line: int
    server: str
    engine: str
    ended_at_us: int
    duration_s: float
    text: str
    user: str
    service: str
    database: str
    rows_returned: float | None
    span: str


@dataclass
class OtlpContent:
    """What one or more OTLP messages hold. Figures by server; ``counted`` are the last readings of what counts up."""

    executions: list[SpanExecution] = field(default_factory=list)
    figures: dict[str, list[Figure]] = field(default_factory=dict)
    counted: Counted = field(default_factory=dict)

    def message(self, document: Any, line: int, rejected: RejectedRows) -> None:
        """Take an export request of spans or of metrics that was decoded from JSON."""
        document = _record(document)
        known = False
        for group, inner, name, take in (
            ("resourceSpans", "scopeSpans", "spans", self._span), ("resourceMetrics", "scopeMetrics", "metrics", self._metric),
        ):  # fmt: skip
            known = known or group in document
            for resource in _list(document, group):
                shared = attributes(_record(resource.get("resource")))
                for scope in _list(resource, inner):
                    for one in _list(scope, name):
                        take(one, shared, line, rejected)
        if not known:
            rejected.add(line, "neither resourceSpans nor resourceMetrics")

    def _span(self, span: dict[str, Any], shared: dict[str, Any], line: int, rejected: RejectedRows) -> None:
        own = attributes(span)
        text = _first(own, TEXT)
        if not text:
            word = "a database span without its text" if _first(own, SYSTEM) else NO_DATABASE
            rejected.add(line, f"{word}: {str(span.get('name', ''))[:60]}")
            return
        start, end = _nanos(span.get("startTimeUnixNano")), _nanos(span.get("endTimeUnixNano"))
        name = str(span.get("spanId") or "")
        if start is None or end is None or not 0 < start <= end:
            rejected.add(line, f"a span without a start and an end after it: {name}")
            return
        rows = _number(_first(own, ROWS))
        self.executions.append(
            SpanExecution(
                line, str(_first(own, SERVER) or ""), str(_first(own, SYSTEM) or ""), end // 1000, (end - start) / 1e9,
                str(text), str(_first(own, USER) or ""), str(shared.get("service.name") or ""),
                str(_first(own, DATABASE) or ""), rows, f"{span.get('traceId') or ''}{name}",
            )
        )  # fmt: skip

    def _metric(self, metric: dict[str, Any], shared: dict[str, Any], line: int, rejected: RejectedRows) -> None:
        name = str(metric.get("name") or "")
        if not name:
            rejected.add(line, "a metric without a name")
            return
        for kind, take in (
            ("gauge", self._gauge),
            ("sum", self._sum),
            ("histogram", self._spread),
            ("exponentialHistogram", self._spread),
            ("summary", self._spread),
        ):
            if kind in metric:
                body = _record(metric[kind])
                for point in _list(body, "dataPoints"):
                    take(
                        name,
                        point,
                        body if kind != "summary" else {"aggregationTemporality": 2},
                        shared,
                        line,
                        rejected,
                    )
                return
        rejected.add(line, f"a metric without points: {name[:60]}")

    def _gauge(
        self, name: str, point: dict[str, Any], _: Any, shared: dict[str, Any], line: int, rejected: RejectedRows
    ) -> None:
        self._take(name, _value(point), point, shared, line, rejected)

    def _sum(
        self,
        name: str,
        point: dict[str, Any],
        body: dict[str, Any],
        shared: dict[str, Any],
        line: int,
        rejected: RejectedRows,
    ) -> None:
        if not body.get("isMonotonic") and _cumulative(body):
            self._take(name, _value(point), point, shared, line, rejected)
        else:
            self._rate(name, _value(point), point, body, shared, line, rejected)

    def _spread(
        self,
        name: str,
        point: dict[str, Any],
        body: dict[str, Any],
        shared: dict[str, Any],
        line: int,
        rejected: RejectedRows,
    ) -> None:
        self._rate(f"{name} count", _number(point.get("count")), point, body, shared, line, rejected)
        if point.get("sum") is not None:
            self._rate(f"{name} sum", _number(point["sum"]), point, body, shared, line, rejected)

    def _take(
        self,
        name: str,
        value: float | None,
        point: dict[str, Any],
        shared: dict[str, Any],
        line: int,
        rejected: RejectedRows,
    ) -> None:
        at = _nanos(point.get("timeUnixNano"))
        if value is None or not at:
            rejected.add(line, f"a point without a number and a time: {name[:60]}")
            return
        server, series = _series(name, attributes(point), shared)
        self.figures.setdefault(server, []).append(Figure(line, at // 1000, series, value))

    def _rate(
        self,
        name: str,
        value: float | None,
        point: dict[str, Any],
        body: dict[str, Any],
        shared: dict[str, Any],
        line: int,
        rejected: RejectedRows,
    ) -> None:
        """What counts up, as a rate: since its own start when it reports only what is new, else since the point before."""
        at, start = _nanos(point.get("timeUnixNano")), _nanos(point.get("startTimeUnixNano"))
        if value is None or not at:
            rejected.add(line, f"a point without a number and a time: {name[:60]}")
            return
        server, series = _series(name, attributes(point), shared)
        if not _cumulative(body):
            if not start or start >= at:
                rejected.add(line, f"a point of what is new that does not say since when: {name[:60]}")
                return
            since, done = start, value
        else:
            grown = growth(self.counted.get((server, series)), at, value)
            self.counted[(server, series)] = (at, value)
            if isinstance(grown, str):
                rejected.add(line, grown)
                return
            since, done = grown
        self.figures.setdefault(server, []).append(
            Figure(line, at // 1000, rate_name(series), done / (at - since) * 1e9)
        )


def read_lines(lines: Iterator[bytes], rejected: RejectedRows) -> OtlpContent:
    """A file of OTLP JSON, a message a line, as collectors write it; or one message over all lines."""
    content = OtlpContent()
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            content.message(json.loads(line), number, rejected)
        except (ValueError, RecursionError):
            rejected.add(number, "not a line of JSON")
    return content


def log_records(document: Any) -> int:
    """How many records an export request of logs holds."""
    scopes = (scope for one in _list(_record(document), "resourceLogs") for scope in _list(one, "scopeLogs"))
    return sum(len(_list(scope, "logRecords")) for scope in scopes)


def attributes(holder: Mapping[str, Any]) -> dict[str, Any]:
    """Plain values by key; arrays and maps are rejected out."""
    found: dict[str, Any] = {}
    for one in _list(holder, "attributes")[:MOST_ATTRIBUTES]:
        value = _record(one.get("value"))
        for kind in ("stringValue", "intValue", "doubleValue", "boolValue"):
            if kind in value:
                found[str(one.get("key") or "")] = value[kind]
    return found


def _series(name: str, own: dict[str, Any], shared: dict[str, Any]) -> tuple[str, str]:
    server = str(_first(own, SERVER) or _first(shared, SERVER) or "")
    said = " ".join(f"{key}={value}" for key, value in sorted(own.items()) if key not in SERVER)
    return server, f"{name} {said}".strip()


def _cumulative(body: Mapping[str, Any]) -> bool:
    return str(body.get("aggregationTemporality")) in CUMULATIVE


def _record(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


def _list(holder: Mapping[str, Any], name: str) -> list[dict[str, Any]]:
    found = holder.get(name)
    return [one for one in found if isinstance(one, dict)] if isinstance(found, list) else []


def _first(values: Mapping[str, Any], names: tuple[str, ...]) -> Any:
    return next((values[name] for name in names if values.get(name) not in (None, "")), None)


def _nanos(value: Any) -> int | None:
    """64-bit numbers come as text or as numbers."""
    try:
        number = int(value)
    except (TypeError, ValueError, OverflowError):
        return None
    return number if 0 <= number < 2**63 else None


def _number(value: Any) -> float | None:
    try:
        number = float(value)
    except (TypeError, ValueError, OverflowError):
        return None
    return number if abs(number) < 1e300 else None


def _value(point: Mapping[str, Any]) -> float | None:
    return _number(point.get("asDouble", point.get("asInt")))
