"""The set of indexes that a workload wants, as it is shown: what each adds, what goes, what every statement would gain or lose."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.evidence.sources import IndexUse
from hardy_gauge.core.indexes.candidates import Candidate
from hardy_gauge.core.indexes.choosing import ENTRY_WRITE_S, Chooser, Chosen
from hardy_gauge.core.indexes.needless import COUNTED_S
from hardy_gauge.core.narrative.index_words import (
    belief_words,
    index_set_sentence,
    needless_words,
    pays_words,
    young_words,
)
from hardy_gauge.core.remedies.index import RECORD_LOG_BYTES, SPLITS
from hardy_gauge.core.sql.identifiers import quoted, quoted_path
from hardy_gauge.core.sql.written_table import written_table

MOST_STATEMENTS = 200
UNCHANGED = 0.01
# a workload that takes so much more of its time without an index does not need it
NEEDLESS = 0.001


@dataclass(frozen=True)
class WorkloadStatement:
    """A statement as it was recorded over the span; ``rows`` are those it returned or wrote."""

    fingerprint: str
    text: str
    kind: str
    calls: float
    time_s: float
    rows: float


@dataclass(frozen=True)
class Workload:
    """What a server did over ``seconds``, and the tables it did it to; ``indexes`` are those that are there, by table."""

    server: str
    dialect: str
    since_us: int
    until_us: int
    seconds: float
    statements: Sequence[WorkloadStatement]
    tables: Mapping[str, TableFacts]
    indexes: Mapping[str, Sequence[IndexUse]]


@dataclass(frozen=True)
class ProposedIndex:
    """``adds`` in active sessions, to what those before it in the list win; ``entries_per_s`` to write, None where that is not known."""

    index: str
    name: str
    table: str
    script: str
    undo: str
    bytes: float
    adds: float
    adds_share: float
    entries_per_s: float | None
    log_bytes_per_s: float | None
    serves: Sequence[str]


@dataclass(frozen=True)
class NeedlessIndex:
    """An index that no plan of the workload needs with the proposed ones built, and why it may go."""

    name: str
    table: str
    bytes: int | None
    why: str
    script: str
    undo: str


@dataclass(frozen=True)
class StatementEffect:
    """A statement's cost by the planner before and after, or its time where it writes; ``ratio`` is after ÷ before."""

    fingerprint: str
    text: str
    time_share: float
    before: float
    after: float
    ratio: float
    uses: Sequence[str]
    why: str = ""


@dataclass(frozen=True)
class CurvePoint:
    """With the first so many indexes: the bytes they take, and active sessions won."""

    bytes: float
    wins: float


@dataclass(frozen=True)
class IndexSet:
    """Times are active sessions: seconds of the workload a second; ``belief`` is what they stand on."""

    server: str
    sentence: str
    belief: str
    since_us: int
    until_us: int
    statements: int
    budget_bytes: float
    before: float
    after: float
    saved_share: float
    chosen: Sequence[ProposedIndex]
    drops: Sequence[NeedlessIndex]
    curve: Sequence[CurvePoint]
    effects: Sequence[StatementEffect]
    losers: Sequence[StatementEffect]
    unknown: Sequence[str]
    cautions: Sequence[str]


def index_set(
    work: Workload, chooser: Chooser, chosen: Chosen, candidates: Sequence[Candidate], names: Mapping[int, str],
    used: Callable[[int, frozenset[int]], set[str]], without: Callable[[int, frozenset[int], str], float],
    unknown: Sequence[str], cautions: Sequence[str],
) -> IndexSet:  # fmt: skip
    """``names`` are what candidates are called in plans; ``used(statement, set)`` the indexes that its plan reads, ``without(statement,
    set, index)`` its cost with an index gone.
    """
    final = frozenset(step.candidate for step in chosen.steps)
    taken = {index.name for indexes in work.indexes.values() for index in indexes}
    proposed: dict[int, ProposedIndex] = {}
    for step in chosen.steps:
        one = _proposed(work, chooser, candidates[step.candidate], step.candidate, step.adds_s, chosen.before_s, taken)
        proposed[step.candidate] = one
        taken.add(one.name)
    called = {names[number]: proposed[number].index for number in final}
    effects, losers = _effects(work, chooser, final, proposed, called, used)
    drops, young = _drops(work, chooser, final, used, without)
    saved = (chosen.before_s - chosen.after_s) / chosen.before_s if chosen.before_s else 0.0
    before, after = chosen.before_s / work.seconds, chosen.after_s / work.seconds
    sizes = [one.bytes for one in proposed.values()]
    return IndexSet(
        work.server, index_set_sentence(work.server, len(work.statements), sizes, len(drops), saved), belief_words(len(work.statements), before, after),
        work.since_us, work.until_us, len(work.statements), chooser.budget.bytes, before, after, saved, list(proposed.values()), drops,
        [CurvePoint(step.bytes, step.wins_s / work.seconds) for step in chosen.steps], effects[:MOST_STATEMENTS], losers,
        [*unknown, *young], list(cautions),
    )  # fmt: skip


def _proposed(
    work: Workload, chooser: Chooser, one: Candidate, number: int, adds_s: float, before_s: float, taken: set[str]
) -> ProposedIndex:  # fmt: skip
    offer, table = chooser.offers[number], work.tables[one.table]
    name = one.name(taken)
    known = table.writes is not None
    entries = offer.entries / work.seconds if known else None
    entry = offer.bytes / max(table.rows, 1.0)
    serves = [s for s in offer.serves if chooser.cost(s, frozenset([number])) < (1 - UNCHANGED) * chooser.base[s]]
    return ProposedIndex(
        one.words, name, one.table, f"CREATE INDEX CONCURRENTLY {quoted(name)} ON {one.words};", f"DROP INDEX CONCURRENTLY {_path(one.table, name)};", offer.bytes,
        adds_s / work.seconds, adds_s / before_s if before_s else 0.0, entries,
        entries * (RECORD_LOG_BYTES + (1 + SPLITS) * entry) if entries is not None else None,
        [work.statements[s].fingerprint for s in serves],
    )  # fmt: skip


def _effects(
    work: Workload, chooser: Chooser, final: frozenset[int], proposed: Mapping[int, ProposedIndex], called: Mapping[str, str],
    used: Callable[[int, frozenset[int]], set[str]],
) -> tuple[list[StatementEffect], list[StatementEffect]]:  # fmt: skip
    whole = sum(one.time_s for one in work.statements) or 1.0
    effects: list[StatementEffect] = []
    losers: list[StatementEffect] = []
    by_table: dict[str, list[ProposedIndex]] = {}
    for one in proposed.values():
        by_table.setdefault(one.table, []).append(one)
    for number, statement in enumerate(work.statements):
        before, after = chooser.base[number], chooser.cost(number, final)
        part = statement.time_s / whole
        if before > 0 and abs(after / before - 1) >= UNCHANGED:
            uses = sorted(called[name] for name in used(number, final) if name in called)
            effect = StatementEffect(statement.fingerprint, statement.text, part, before, after, after / before, uses)
            (losers if after > before else effects).append(effect)
        loser = _writes_more(work, statement, part, by_table)
        if loser is not None:
            losers.append(loser)
    effects.sort(key=lambda one: -one.time_share * (1 - one.ratio))
    return effects, sorted(losers, key=lambda one: -one.ratio)


def _writes_more(
    work: Workload, statement: WorkloadStatement, part: float, by_table: Mapping[str, Sequence[ProposedIndex]]
) -> StatementEffect | None:
    """A statement that writes to a table with more indexes than before takes longer by the entries that it writes to them."""
    if statement.kind not in ("insert", "update", "delete", "merge") or not statement.calls:
        return None
    table = written_table(statement.text, work.dialect)
    more = by_table.get(table or "", [])
    if not more or statement.kind == "delete":  # entries of a deleted row stay until upkeep
        return None
    each = statement.time_s / statement.calls
    added = statement.rows / statement.calls * len(more) * ENTRY_WRITE_S
    if added < UNCHANGED * each:
        return None
    why = pays_words(len(more), added, at_most=statement.kind != "insert")
    return StatementEffect(
        statement.fingerprint, statement.text, part, each, each + added, (each + added) / each if each else 1.0,
        [one.index for one in more], why,
    )  # fmt: skip


def _drops(
    work: Workload, chooser: Chooser, final: frozenset[int], used: Callable[[int, frozenset[int]], set[str]],
    without: Callable[[int, frozenset[int], str], float],
) -> tuple[list[NeedlessIndex], list[str]]:  # fmt: skip
    """Indexes that enforce nothing, that no plan of the workload reads or would miss, and that were not read in the week or more that
    they are counted; and of which of them that is not known.
    """
    read: dict[str, list[int]] = {}
    for number in range(len(work.statements)):
        for name in used(number, final):
            read.setdefault(name, []).append(number)
    whole = sum(one.time_s for one in work.statements)
    found, unknown = [], []
    for table, indexes in work.indexes.items():
        for index in indexes:
            if index.enforces or index.partial or not index.valid:
                continue
            path, users = _path(table, index.name), read.get(index.name, [])
            counted_s = (work.until_us - index.counted_since_us) / 1e6 if index.counted_since_us is not None else None
            if users:
                lost = sum(_lost(work, chooser, one, final, without(one, final, path)) for one in users)
                if lost > NEEDLESS * whole:
                    continue
            elif index.lookups_counted is not None and index.lookups_counted > 0:
                continue  # something reads it that was not recorded
            elif index.lookups_counted is None or counted_s is None or counted_s < COUNTED_S:
                unknown.append(young_words(index.name, None if index.lookups_counted is None else counted_s))
                continue
            columns = ", ".join(index.columns)
            found.append(
                NeedlessIndex(
                    index.name, table, index.bytes, needless_words(bool(users), counted_s or 0.0), f"DROP INDEX CONCURRENTLY {path};",
                    f"CREATE INDEX CONCURRENTLY {quoted(index.name)} ON {quoted_path(table)} ({columns});",
                )
            )  # fmt: skip
    return sorted(found, key=lambda one: -(one.bytes or 0)), unknown


def _path(table: str, index: str) -> str:
    """An index lies in its table's schema, but is told by its name alone."""
    schema, dot, _ = table.partition(".")
    return f"{quoted(schema)}.{quoted(index)}" if dot else quoted(index)


def _lost(work: Workload, chooser: Chooser, number: int, final: frozenset[int], cost: float) -> float:
    now = chooser.cost(number, final)
    base = chooser.base[number]
    return work.statements[number].time_s * (cost - now) / base if base > 0 else 0.0
