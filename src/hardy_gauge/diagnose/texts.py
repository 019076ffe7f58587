"""Another text for a statement: both planned and checked beside each other, and both run on made data."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from hardy_gauge.core.checks.sheet import CheckSheet, check_text_and_plan
from hardy_gauge.core.evidence.evidence import Schema
from hardy_gauge.core.plans.comparison import PlanComparison, compare_plans
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.proof.results import Proof
from hardy_gauge.core.time.span import Span
from hardy_gauge.diagnose.questions import plan_of, planner_facts
from hardy_gauge.errors import InvalidInput, ProbeError, Unsupported
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.lab.made.fill import made_database
from hardy_gauge.lab.made.proof import prove
from hardy_gauge.lab.twin.asking import open_twin
from hardy_gauge.probes.protocol import ExplainRequest
from hardy_gauge.queries.evidence import schema_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recorded_schema import shapes_of
from hardy_gauge.store.models import Server

NO_DATA = "rows are made only of PostgreSQL servers of which what the planner knows was recorded, for made rows need its statistics"


@dataclass(frozen=True)
class TextsCompared:
    """``provable`` is empty where both can be run on made data, otherwise why not."""

    plans: PlanComparison
    old_checks: CheckSheet
    new_checks: CheckSheet
    provable: str


def compare_texts(reader: Reader, server: Server, old: str, new: str, focus: Span) -> TextsCompared:
    """Nothing of them is run. Refused names the text that the server does not understand; ProbeError where it does not answer."""
    with _planning(reader, server) as plan:
        plans = [_named(plan, text, part) for text, part in ((old, "old"), (new, "new"))]
    schema, shapes = schema_of(reader, server, focus), shapes_of(reader.store, server.id)
    known = schema if isinstance(schema, Schema) else Schema("postgres", {})
    old_checks, new_checks = (
        check_text_and_plan(text, known.dialect, shapes, one, known.tables)
        for text, one in zip((old, new), plans, strict=True)
    )
    provable = "" if planner_facts(reader.store, server) is not None else NO_DATA
    return TextsCompared(compare_plans(*plans), old_checks, new_checks, provable)


def _named(plan: Callable[[str], Plan], text: str, part: str) -> Plan:
    try:
        return plan(text)
    except InvalidInput as error:
        raise InvalidInput(f"{part}: {error.detail}", part) from error


@contextmanager
def _planning(reader: Reader, server: Server) -> Iterator[Callable[[str], Plan]]:
    """By the server's twin where what its planner knows is recorded, otherwise by the server itself."""
    known = planner_facts(reader.store, server)
    if known is None:
        yield lambda text: _asked(reader, server, text)
        return
    with twins.using(*known) as folder, open_twin(folder) as twin:

        def of_twin(text: str) -> Plan:
            answer = twin.plan(text)
            if answer.plan is None:
                raise InvalidInput(answer.problem)
            return read_document([{"Plan": answer.plan}])

        yield of_twin


def _asked(reader: Reader, server: Server, text: str) -> Plan:
    try:
        return plan_of(reader.store, server, ExplainRequest(text=text))
    except ProbeError as error:
        raise InvalidInput(str(error)) from error


def prove_texts(reader: Reader, server: Server, old: str, new: str) -> Proof:
    """Both on rows made from the server's statistics, in a PostgreSQL of our own; the server is asked nothing. Unsupported where its
    statistics were not recorded, or no programs are installed.
    """
    known = planner_facts(reader.store, server)
    if known is None:
        raise Unsupported(NO_DATA, "server")
    with made_database(known[3]()) as made:
        return prove(made, old, new)
