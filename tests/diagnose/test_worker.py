"""The background worker: one failing server costs nobody else; what came in a file is never asked; findings live on."""

from __future__ import annotations

from dataclasses import replace

import pytest
from sqlalchemy import select

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.rules.access.missing_index import MissingIndex
from hardy_gauge.diagnose import examination, life
from hardy_gauge.diagnose.questions import plan_of
from hardy_gauge.diagnose.worker import DiagnosisWorker
from hardy_gauge.errors import NeverAsked
from hardy_gauge.probes.protocol import ExplainRequest
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import DiagnosisState, StoredFinding
from tests.core.test_missing_index import evidence, only
from tests.queries.builder import HOUR, NOW, Built


def test_a_server_that_fails_costs_its_own_diagnosis_only(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    built = Built(store)
    for name in ("a", "b", "c"):
        built.minutes(built.server(name), HOUR.since_us, NOW, 1.0)
    evidence_of = examination.evidence_of

    def failing(reader, server, window):  # type: ignore[no-untyped-def]
        if server.name == "b":
            raise ZeroDivisionError
        return evidence_of(reader, server, window)

    monkeypatch.setattr(examination, "evidence_of", failing)
    DiagnosisWorker(built.reader, between_s=0).round()
    with store.read() as session:
        states = {state.server_id: state.error for state in session.scalars(select(DiagnosisState))}
    assert states == {1: "", 2: "it could not be diagnosed: ZeroDivisionError", 3: ""}


@pytest.mark.parametrize("address", ["bundle:7/desk-a", "import:east"])
def test_a_server_from_a_file_is_never_asked(store: Store, address: str) -> None:
    built = Built(store)
    built.server("a", address=address, abilities=["explain", "statements"])
    with pytest.raises(NeverAsked):
        plan_of(store, server_named(built.reader, "a"), ExplainRequest(text="SELECT 1"))
    DiagnosisWorker(built.reader, between_s=0).round()
    with store.read() as session:
        assert session.get_one(DiagnosisState, 1).error == ""


def kept(
    store: Store, found: list[Finding], now: int, not_known: set[str] | None = None
) -> list[tuple[int, int, int | None]]:
    with store.write() as session:
        life.keep(session, 1, [(finding, now - 5) for finding in found], not_known or set(), now)
    with store.read() as session:
        rows = session.scalars(select(StoredFinding).order_by(StoredFinding.id)).all()
        return [(row.since_us, row.seen_us, row.ended_us) for row in rows]


def test_findings_begin_go_on_and_end(store: Store) -> None:
    Built(store).server("a")
    one = only(MissingIndex().examine(evidence()))
    assert kept(store, [one], 100) == [(95, 100, None)]
    assert kept(store, [replace(one)], 200) == [(95, 200, None)], "the same cause on the same subject goes on"
    assert kept(store, [], 300, {one.cause}) == [(95, 200, None)], "what could not be looked for is not over"
    assert kept(store, [], 400) == [(95, 200, 200)]
    assert kept(store, [one], 500) == [(95, 200, 200), (495, 500, None)], "a new life after the end"
