"""The set of indexes that a workload wants, as it is shown: what each adds, what goes, what every statement would gain or lose."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.evidence.sources import IndexUse
from hardy_gauge.core.figures.formatting import duration, share, size
from hardy_gauge.core.indexes.candidates import Candidate
from hardy_gauge.core.indexes.choosing import ENTRY_WRITE_S, Chooser, Chosen
from hardy_gauge.core.remedies.index import RECORD_LOG_BYTES, SPLITS
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
    """Times are active sessions: seconds of the workload a second."""

    server: str
    sentence: str
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
    drops = _drops(work, chooser, final, used, without)
    saved = chosen.before_s - chosen.after_s
    return IndexSet(
        work.server, _sentence(work, list(proposed.values()), drops, chosen), work.since_us, work.until_us, len(work.statements),
        chooser.budget.bytes, chosen.before_s / work.seconds, chosen.after_s / work.seconds, saved / chosen.before_s if chosen.before_s else 0.0,
        list(proposed.values()), drops, [CurvePoint(step.bytes, step.wins_s / work.seconds) for step in chosen.steps],
        effects[:MOST_STATEMENTS], losers, list(unknown), list(cautions),
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
        one.words, name, one.table, f"CREATE INDEX CONCURRENTLY {name} ON {one.words};", f"DROP INDEX CONCURRENTLY {name};", offer.bytes,
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
    entries = "one more entry" if len(more) == 1 else f"{len(more)} more entries"
    why = f"writes {entries} a row, about {duration(added)} a call"
    return StatementEffect(
        statement.fingerprint, statement.text, part, each, each + added, (each + added) / each if each else 1.0,
        [one.index for one in more], why,
    )  # fmt: skip


def _drops(
    work: Workload, chooser: Chooser, final: frozenset[int], used: Callable[[int, frozenset[int]], set[str]],
    without: Callable[[int, frozenset[int], str], float],
) -> list[NeedlessIndex]:  # fmt: skip
    """Indexes that enforce nothing, that no plan of the workload reads or would miss, and that were not read since they are counted."""
    read: dict[str, list[int]] = {}
    for number in range(len(work.statements)):
        for name in used(number, final):
            read.setdefault(name, []).append(number)
    whole = sum(one.time_s for one in work.statements)
    found = []
    for table, indexes in work.indexes.items():
        for index in indexes:
            if index.unique or index.constraint or index.partial or not index.valid:
                continue
            users = read.get(index.name.split(".")[-1], [])
            lost = sum(_lost(work, chooser, number, final, without(number, final, index.name)) for number in users)
            if lost > NEEDLESS * whole:
                continue
            if index.lookups_counted is None or (index.lookups_counted > 0 and not users):
                continue  # something reads it that was not recorded, or that is not known
            why = (
                "with the proposed indexes no statement of the workload misses it"
                if users
                else f"no statement of the workload reads it, and it was not read{_counted_for(index, work.until_us)}"
            )
            found.append(
                NeedlessIndex(
                    index.name, table, index.bytes, why, f"DROP INDEX CONCURRENTLY {index.name};",
                    f"CREATE INDEX CONCURRENTLY {index.name} ON {table} ({', '.join(index.columns)});",
                )
            )  # fmt: skip
    return sorted(found, key=lambda one: -(one.bytes or 0))


def _counted_for(index: IndexUse, now_us: int) -> str:
    since = index.counted_since_us
    return f" in the {duration((now_us - since) / 1e6)} since it is counted" if since else " since it is counted"


def _lost(work: Workload, chooser: Chooser, number: int, final: frozenset[int], cost: float) -> float:
    now = chooser.cost(number, final)
    base = chooser.base[number]
    return work.statements[number].time_s * (cost - now) / base if base > 0 else 0.0


def _sentence(work: Workload, proposed: Sequence[ProposedIndex], drops: Sequence[NeedlessIndex], chosen: Chosen) -> str:
    if not work.statements:
        return f"No statement of {work.server} was recorded in this time, so which indexes it wants is not known."
    number = "one index" if len(drops) == 1 else f"{len(drops)} indexes"
    gone = f"; {number} could go" if drops else ""
    if not proposed:
        return f"No index within the budget would win {work.server} anything worth it{gone}."
    saved = (chosen.before_s - chosen.after_s) / chosen.before_s if chosen.before_s else 0.0
    many = "One index" if len(proposed) == 1 else f"{len(proposed)} indexes"
    taken = size(sum(one.bytes for one in proposed))
    return f"{many} of {taken} would win {work.server} {share(saved)} of its statements' time, by the planner's costs{gone}."
