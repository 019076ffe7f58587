"""How much the conditions of a statement select, asked of the server's planner or its twin, and counted where the server allows it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache

from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.evidence.evidence import Schema
from hardy_gauge.core.narrative.conditions import counted_words, not_counted_words, selectivity_sentence
from hardy_gauge.core.plans.model import MalformedPlan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.sql.predicates import Condition
from hardy_gauge.core.sql.selectivity import Counted, PageTotals, Selectivity, counted, question, why_not_counted
from hardy_gauge.core.sql.served import conditions_of
from hardy_gauge.core.time.span import Span
from hardy_gauge.diagnose.questions import planner_facts
from hardy_gauge.errors import GaugeError, Unsupported
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.lab.twin.asking import open_twin
from hardy_gauge.probes.protocol import CountsConditions, ExplainRequest, Probe
from hardy_gauge.queries.evidence import schema_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statement_sheet import latest_call, statement_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import is_behind_address

MOST = 20  # conditions of a statement
# rows expected of a text, rows that came where that was run, and whether it was planned for its values
Asked = Callable[[str], tuple[float, float | None, bool]]


@dataclass(frozen=True)
class SelectivitySheet:
    """What each condition selects, in the order of the text; ``text`` is what was asked, with values where those are kept."""

    sentence: str
    text: str
    rows: list[Selectivity]


def selectivity_sheet(reader: Reader, server: Server, fingerprint: str, focus: Span) -> SelectivitySheet:
    """NotFound where the statement is unknown; Unsupported where the server's tables are; ProbeError where it does not answer."""
    statement, schema = statement_of(reader, fingerprint), schema_of(reader, server, focus)
    if not isinstance(schema, Schema):
        raise Unsupported(schema.why, "server")
    text = latest_call(reader, server, statement.id, focus) or statement.text
    rows = selectivity_of(reader.store, server, text, schema)
    return SelectivitySheet(selectivity_sentence(server.name, rows), text, rows)


def selectivity_of(store: Store, server: Server, text: str, schema: Schema) -> list[Selectivity]:
    """Of every condition of a text, in its order. Nothing of the text is run but, where the server can count, its plain conditions over
    pages drawn at random. ProbeError where the server does not answer.
    """
    conditions = conditions_of(text, schema.tables, schema.dialect)[:MOST]
    probe = probe_of(store, server.id) if is_behind_address(server.address) else None
    try:
        with _asking(store, server, probe) as asking:
            ask = cache(asking)  # the rows of a table are asked for once
            return [_one(condition, schema, ask, probe) for condition in conditions]
    finally:
        if probe is not None:
            probe.close()


def _one(condition: Condition, schema: Schema, ask: Asked, probe: Probe | None) -> Selectivity:
    expected = true = None
    for_values, problem = False, ""
    try:
        wholes = [ask(question((source,), "")) for source in condition.sources]
        rows, seen, for_values = ask(question(condition.sources, condition.text))
        expected = _share(rows, [whole for whole, _, _ in wholes])
        if seen is not None and all(of is not None for _, of, _ in wholes):
            share = _share(seen, [of or 0.0 for _, of, _ in wholes])
            true = None if share is None else Counted(share, share, share, round(seen), 0)
    except (GaugeError, MalformedPlan) as error:
        problem = str(error)
    if true is None and not problem:
        true, problem = _counted(condition, schema, probe)
    how = counted_words(true.rows, true.pages) if true is not None else ""
    return Selectivity(condition.text, expected, for_values, true, how, problem)


def _share(rows: float, of: list[float]) -> float | None:
    whole = 1.0
    for one in of:
        whole *= one
    return min(1.0, rows / whole) if whole > 0 else None


def _counted(condition: Condition, schema: Schema, probe: Probe | None) -> tuple[Counted | None, str]:
    if len(condition.sources) != 1:
        return None, not_counted_words("tables")
    if not isinstance(probe, CountsConditions):
        return None, not_counted_words("server")
    why = why_not_counted(condition.text, schema.dialect)
    if why:
        return None, why
    try:
        totals = probe.condition_totals(condition.sources[0], condition.text, schema.tables[condition.table].bytes)
        found = counted(PageTotals(**totals))
    except GaugeError as error:
        return None, str(error)
    return found, "" if found is not None else not_counted_words("empty")


@contextmanager
def _asking(store: Store, server: Server, probe: Probe | None) -> Iterator[Asked]:
    """The twin where what the planner knows was recorded, so that no right on the tables is needed; otherwise the server itself."""
    known = planner_facts(store, server)
    if known is not None:
        with twins.using(*known) as folder, open_twin(folder) as twin:

            def of_twin(text: str) -> tuple[float, float | None, bool]:
                answer = twin.plan(text)
                if answer.plan is None:
                    raise MalformedPlan(answer.problem)
                return float(answer.plan["Plan Rows"]), None, answer.for_values

            yield of_twin
        return

    def of_server(text: str) -> tuple[float, float | None, bool]:
        if probe is None:
            raise MalformedPlan(not_counted_words("file"))
        root = read_document(probe.explain(ExplainRequest(text=text)).model_dump()).root
        return root.rows_expected, root.rows_seen, False

    yield of_server
