"""What a PostgreSQL cannot imagine itself, its twin is asked for: with an index, without one, and what cannot be."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.diagnosis.finding import PlanQuestion
from hardy_gauge.core.remedies.remedy import IndexChange
from hardy_gauge.diagnose.questions import answer_to, plan_of
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec, Refused
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server, Snapshot
from tests.capture.test_postgresql import clock_us
from tests.capture.test_postgresql import collector as collector
from tests.postgres import watched_postgres

pytestmark = pytest.mark.postgres
TEXT = "SELECT * FROM loan WHERE patron = $1"


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres() as made:
        yield made


def test_a_question_is_answered_by_the_twin(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    collector.recorders[0].look_again(clock_us())
    collector.write()
    with store.read() as session:
        server = session.scalars(select(Server)).one()
        known = session.get(Snapshot, (server.id, "planner"))
        assert known is not None and known.body["values"] == "replaced"
    patron = IndexSpec(table="loan", columns=["patron"])
    try:
        before = plan_of(store, server, ExplainRequest(text=TEXT))
        after = plan_of(store, server, ExplainRequest(text=TEXT, add_indexes=[patron]))
        assert before.root.operation == "scan" and after.cost is not None and before.cost is not None
        assert after.cost < 0.5 * before.cost and any(step.index for _, step in after.root.walk())
        answer = answer_to(store, server, PlanQuestion(TEXT, IndexChange("loan", ["patron"])))
        assert answer is not None and answer.plan_id == after.plan_id
        without = plan_of(
            store, server, ExplainRequest(text="SELECT * FROM loan WHERE id = $1", drop_indexes=["loan_pkey"])
        )
        assert without.root.operation == "scan"
        with pytest.raises(Refused, match='column "colour" does not exist') as refused:
            plan_of(store, server, ExplainRequest(text=TEXT, add_indexes=[IndexSpec(table="loan", columns=["colour"])]))
        assert refused.value.field == "add_indexes"
        with pytest.raises(Refused, match="nothing") as refused:
            plan_of(store, server, ExplainRequest(text="SELECT * FROM nothing", add_indexes=[patron]))
        assert refused.value.field == "text"
        (home,) = {kept.folder.parent for kept in twins._twins.values()}
        instances = [Path(str((kept.folder / "instance").resolve())) for kept in twins._twins.values()]
        assert watched[0].execute("SELECT count(*) FROM pg_indexes WHERE tablename = 'loan'").fetchone() == (1,)
    finally:
        twins.close()
    assert not home.exists() and not any(one.exists() for one in instances), "nothing is left"
