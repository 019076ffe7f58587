"""Questions that only a server can answer, asked of its probe: never inside a request that reads."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import select

from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.diagnosis.finding import PlanQuestion
from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec, PlannerFacts, ProbeError
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Snapshot, Statement

# which server, what it is called, when its facts were read, and what reads them from the store
RecordedFacts = tuple[str, str, int, Callable[[], PlannerFacts]]


def plan_of(store: Store, server: Server, request: ExplainRequest) -> Plan:
    """The plan that the server would use; a ProbeError when it does not answer, refuses, or came in a file. What a server cannot
    imagine itself its twin is asked for, where what its planner knows is known.
    """
    if request.add_indexes or request.drop_indexes:
        known = planner_facts(store, server)
        if known is not None:
            return twins.plan(*known, request)
    probe = probe_of(store, server.id)
    try:
        return read_document(probe.explain(request).model_dump())
    finally:
        probe.close()


def planner_facts(store: Store, server: Server) -> RecordedFacts | None:
    """What ``KeptTwins`` takes of a server: as it was recorded; None where it was not."""
    with store.read() as session:
        known = session.get(Snapshot, (server.id, "planner"))
    if known is None:
        return None
    return f"{store.path}:{server.id}", server.name, known.taken_us, lambda: PlannerFacts.model_validate(known.body)


def take_plan(store: Store, server: Server, statement: Statement, now_us: int) -> str:
    """Ask for the plan of a stored statement and keep it; returns its key. A ProbeError as ``plan_of``."""
    plan = plan_of(store, server, ExplainRequest(text=statement.text))
    with store.write() as session:
        mine = (
            StoredPlan.server_id == server.id, StoredPlan.statement_id == statement.id, StoredPlan.plan_key == plan.plan_id,
        )  # fmt: skip
        known = session.scalar(select(StoredPlan).where(*mine))
        if known is None:
            session.add(
                StoredPlan(
                    server_id=server.id, statement_id=statement.id, plan_key=plan.plan_id, taken_us=now_us,
                    body=plan_document(plan),
                )
            )  # fmt: skip
        else:
            known.taken_us, known.body = now_us, plan_document(plan)
    return plan.plan_id


def answer_to(store: Store, server: Server, question: PlanQuestion) -> Plan | None:
    """The answer to a rule's question; None when the server cannot answer."""
    if "explain" not in server.abilities:
        return None
    index = IndexSpec(table=question.index.table, columns=question.index.columns)
    try:
        return plan_of(store, server, ExplainRequest(text=question.text, add_indexes=[index]))
    except (ProbeError, MalformedPlan):
        return None
