"""Questions that only a server can answer, asked of its probe: never inside a request that reads."""

from __future__ import annotations

from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.diagnosis.finding import PlanQuestion
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec, ProbeError
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server


def plan_of(store: Store, server: Server, request: ExplainRequest) -> Plan:
    """The plan that the server would use; a ProbeError when it does not answer, refuses, or came in a file."""
    probe = probe_of(store, server.id)
    try:
        return read_document(probe.explain(request).model_dump())
    finally:
        probe.close()


def answer_to(store: Store, server: Server, question: PlanQuestion) -> Plan | None:
    """The answer to a rule's question; None when the server cannot answer."""
    if "explain" not in server.abilities:
        return None
    index = IndexSpec(table=question.index.table, columns=question.index.columns)
    try:
        return plan_of(store, server, ExplainRequest(text=question.text, add_indexes=[index]))
    except (ProbeError, MalformedPlan):
        return None
