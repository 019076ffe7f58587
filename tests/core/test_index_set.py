"""Candidates of statements, and the choice of a set: against every set there is, on small cases made at random."""

from __future__ import annotations

import random
from dataclasses import replace
from itertools import combinations

import pytest

from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts
from hardy_gauge.core.evidence.sources import IndexUse
from hardy_gauge.core.indexes.candidates import Candidate, candidates_of
from hardy_gauge.core.indexes.choosing import Budget, Chooser, Offer, Work
from hardy_gauge.core.indexes.sheet import Workload, WorkloadStatement, index_set
from hardy_gauge.core.time.span import DAY_US


def table(name: str, rows: float, indexes: list[IndexFacts], **distinct: float) -> TableFacts:
    return TableFacts(name, rows, rows * 100, {c: ColumnFacts(c, 8, n) for c, n in distinct.items()}, indexes)


TABLES = {
    "loan": table("loan", 1e6, [IndexFacts("loan_pkey", ("id",), True)], id=1e6, copy_id=5e4, patron=1e4, due=900, fee=300, note=9e5),
    "copy": table("copy", 5e4, [IndexFacts("copy_pkey", ("id",), True)], id=5e4, title_id=2e4, branch=25),
    "facts.visit": table("facts.visit", 1e6, [], day=700, branch=60, persons=200),
}  # fmt: skip


@pytest.mark.parametrize(
    ("text", "wanted", "not_wanted"),
    [
        ("SELECT * FROM loan WHERE patron = $1 AND due > $2", {"loan(patron)", "loan(patron, due)", "loan(due)"}, {"loan(due, patron)"}),
        ("SELECT * FROM loan WHERE id = $1", set(), {"loan(id)"}),
        ("SELECT * FROM loan WHERE patron = $1 ORDER BY due LIMIT 5", {"loan(patron, due)"}, set()),
        ("SELECT due FROM loan WHERE patron = $1", {"loan(patron) INCLUDE (due)"}, set()),
        ("SELECT * FROM loan l JOIN copy c ON c.id = l.copy_id WHERE c.branch = $1", {"loan(copy_id)", "copy(branch)", "copy(branch, id)"}, {"copy(id)"}),
        ("SELECT * FROM loan WHERE fee IS NULL AND copy_id = $1", {"loan(copy_id) WHERE fee IS NULL"}, set()),
        ("SELECT * FROM loan WHERE lower(note) = $1", {"loan((LOWER(note)))"}, {"loan(note)"}),
        ("SELECT * FROM loan WHERE fee + $1 = due", set(), {"loan(fee)", "loan(due)"}),
        ("SELECT sum(persons) FROM facts.visit v WHERE v.branch = $1", {"facts.visit(branch)", "facts.visit(branch) INCLUDE (persons)"}, set()),
        ("SELECT count(*) FROM facts.visit JOIN copy USING (branch)", {"facts.visit(branch)", "copy(branch)"}, set()),
        ("UPDATE loan SET fee = 0 WHERE patron = $1", {"loan(patron)"}, set()),
        ("SELECT patron, count(*) FROM loan GROUP BY patron", {"loan(patron)"}, set()),
        ("SELECT * FROM elsewhere WHERE a = 1", set(), set()),
        ("SELEC nothing", set(), set()),
    ],
)  # fmt: skip
def test_what_could_serve_a_statement(text: str, wanted: set[str], not_wanted: set[str]) -> None:
    found = {one.words for one in candidates_of(text, TABLES, "postgres")}
    assert wanted <= found, found
    assert not not_wanted & found
    assert wanted or not found


class Planner:
    """Statements with some access paths each: a path needs a set of indexes, and costs less than none."""

    def __init__(self, chance: random.Random, statements: int, indexes: int) -> None:
        self.paths = [
            [(frozenset(chance.sample(range(indexes), chance.choice((1, 1, 1, 2)))), chance.uniform(1, 90)) for _ in range(chance.randint(1, 4))]
            for _ in range(statements)
        ]  # fmt: skip
        self.asked = 0

    def cost(self, statement: int, chosen: frozenset[int]) -> float:
        self.asked += 1
        return min([100.0, *(cost for needs, cost in self.paths[statement] if needs <= chosen)])

    def offers(self, chance: random.Random, indexes: int) -> list[Offer]:
        return [
            Offer(chance.uniform(1, 10), chance.uniform(0, 2000), [s for s, paths in enumerate(self.paths) if any(n in needs for needs, _ in paths)])
            for n in range(indexes)
        ]  # fmt: skip


def test_the_choice_is_within_a_twentieth_of_the_best_of_all_sets() -> None:
    short = 0
    for seed in range(150):
        chance = random.Random(seed)
        indexes = chance.randint(3, 11)
        planner = Planner(chance, chance.randint(3, 12), indexes)
        offers = planner.offers(chance, indexes)
        work = [Work(100, chance.uniform(0.1, 5)) for _ in planner.paths]
        chooser = Chooser(work, offers, planner.cost, Budget(chance.uniform(5, 30), chance.choice([None, 4000])))
        chosen = chooser.choose()
        sets = [frozenset(s) for size in range(indexes + 1) for s in combinations(range(indexes), size)]
        allowed = [s for s in sets if sum(offers[n].bytes for n in s) <= chooser.budget.bytes]
        if chooser.budget.entries is not None:
            allowed = [s for s in allowed if sum(offers[n].entries for n in s) <= 4000]
        best = max(chooser.wins_s(one) for one in allowed)
        mine = frozenset(step.candidate for step in chosen.steps)
        assert mine in allowed
        wins = chooser.wins_s(mine)
        assert chosen.before_s - chosen.after_s == pytest.approx(wins)
        if chosen.steps:
            assert chosen.steps[-1].wins_s == pytest.approx(wins) and sum(
                one.adds_s for one in chosen.steps
            ) == pytest.approx(wins)
        short += wins < 0.95 * best - 0.01 * chosen.before_s * len(mine)
    assert short <= 3, short


def test_no_index_is_built_for_nothing() -> None:
    """What is written more than it is read, what the budget does not take, and what another makes needless."""

    def cost(statement: int, chosen: frozenset[int]) -> float:
        return 10.0 if chosen else 100.0

    work = [Work(10, 1.0)]
    dear = Chooser(work, [Offer(1.0, 1e6, [0])], cost, Budget(10.0)).choose()
    assert not dear.steps and dear.after_s == dear.before_s == 1.0
    assert not Chooser(work, [Offer(11.0, 0.0, [0])], cost, Budget(10.0)).choose().steps
    both = Chooser(work, [Offer(2.0, 0.0, [0]), Offer(1.0, 0.0, [0])], cost, Budget(10.0)).choose()
    assert [step.candidate for step in both.steps] == [1] and both.after_s == pytest.approx(0.1)


def needless(users: bool, cost_without: float, **more: object) -> tuple[list[str], list[str], list[str]]:
    """Indexes that could go, what is not known, and what a planner was asked to do without, for one index in a schema of its own."""
    index = IndexUse("Visit Branch", ("branch",), False, "", 8192, 0.0, -10 * DAY_US)
    index = replace(index, **more)  # type: ignore[arg-type]
    statement = WorkloadStatement("f", "SELECT * FROM facts.visit WHERE branch = $1", "select", 10, 1.0, 10)
    work = Workload("a", "postgres", 0, 60_000_000, 60.0, [statement], TABLES, {"facts.visit": [index]})
    chooser = Chooser([Work(10, 1.0)], [], lambda _, __: 10.0, Budget(1.0))
    asked: list[str] = []

    def without(_: int, __: frozenset[int], name: str) -> float:
        asked.append(name)
        return cost_without

    used = {"Visit Branch"} if users else set[str]()
    found = index_set(work, chooser, chooser.choose(), [], {}, lambda _, __: used, without, [], [])
    return [one.script for one in found.drops], list(found.unknown), asked


def test_an_index_goes_only_where_nobody_would_miss_it() -> None:
    path = 'facts."Visit Branch"'
    assert needless(True, 100.0) == ([], [], [path]), "what a plan needs stays, whatever its schema is called"
    assert needless(True, 10.0)[0] == [f"DROP INDEX CONCURRENTLY {path};"]
    assert needless(False, 10.0)[0] == [f"DROP INDEX CONCURRENTLY {path};"]
    assert needless(False, 10.0, lookups_counted=4.0) == ([], [], []), "something reads it that was not recorded"
    for more in ({"lookups_counted": None}, {"counted_since_us": 0}):
        drops, unknown, _ = needless(False, 10.0, **more)
        assert not drops and unknown[0].startswith("whether Visit Branch could go"), more
    for more in ({"unique": True}, {"constraint": "primary key"}, {"partial": True}, {"valid": False}):
        assert needless(False, 10.0, **more) == ([], [], []), more


def test_names_stand_in_quotes_where_they_need_them() -> None:
    one = Candidate("Odd Name.loan", ("Patron", "due", "(LOWER(note))"), ("Fee",))
    assert one.words == '"Odd Name".loan("Patron", due, (LOWER(note))) INCLUDE ("Fee")'
