"""A diagnosis as a document: what ``hardy-gauge diagnose`` prints, by server."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from functools import partial
from typing import Any

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.life import LOOK_BACK_US
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.diagnose.examination import examine, nobody
from hardy_gauge.diagnose.questions import answer_to
from hardy_gauge.queries.findings import TROUBLE
from hardy_gauge.queries.gauges import named_gauge
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.server_words import server_words
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import capture_state, is_behind_address

PRESENT_US = 10 * MINUTE_US  # a server can be asked about now, not about a moment longer ago


def diagnosis_document(reader: Reader, servers: Sequence[Server], at_us: int | None) -> dict[str, Any]:
    """Every server named, examined at a moment (None: as far as it is recorded); nothing is stored."""
    ends = {one.name: at_us if at_us is not None else _recorded_until(reader, one) for one in servers}
    latest = max(ends.values(), default=reader.clock())
    return {"at": _iso(latest), "servers": {one.name: _server(reader, one, ends[one.name]) for one in servers}}


def _recorded_until(reader: Reader, server: Server) -> int:
    return server.capture.recorded_until_us or reader.clock()


def _server(reader: Reader, server: Server, at_us: int) -> dict[str, Any]:
    asked = is_behind_address(server.address) and abs(reader.clock() - at_us) <= PRESENT_US
    found = examine(reader, server, at_us, partial(answer_to, reader.store, server) if asked else nobody)
    window = Window(Span(at_us - LOOK_BACK_US, at_us), following=asked)
    root = next((one for one, _ in found.findings if one.is_root and one.grade in TROUBLE), None)
    load = named_gauge(reader, server.id, "active_sessions", window.focus)
    _, words = capture_state(server, reader.clock(), reader.store.health.failure)
    return {
        "sentence": server_words(reader, server, window, load, root, words, {}),
        "unknown": [{"cause": one.cause, "why": one.why} for one in found.unknown],
        "findings": [_finding(one, since_us) for one, since_us in found.findings],
    }


def _finding(one: Finding, since_us: int) -> dict[str, Any]:
    impact = one.impact
    return {
        "cause": one.cause, "grade": one.grade, "confidence": one.confidence,
        "subject": {"kind": one.subject.kind, "name": one.subject.name, "text": one.subject.text}, "since": _iso(since_us),
        "impact": {"value": impact.value, "low": impact.low, "high": impact.high, "unit": impact.unit},
        "root": one.is_root, "follows": {"cause": one.root, "subject": one.root_subject} if one.root else None, "title": one.title,
        "facts": [{"what": f.what, "value": f.value, "unit": f.unit, "source": f.source, "reference": f.reference} for f in one.facts],
        "remedies": [
            {"kind": r.kind, "title": r.title, "script": r.script, "undo": r.undo, "applies": r.applies, "cautions": r.cautions}
            for r in one.remedies
        ],
    }  # fmt: skip


def _iso(at_us: int) -> str:
    return datetime.fromtimestamp(at_us / 1e6, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
