"""The set of indexes for a recorded workload, by the planner of the server's twin."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from hardy_gauge.core.indexes.candidates import Candidate, candidates_of
from hardy_gauge.core.indexes.choosing import Budget, Chooser, Offer, Work
from hardy_gauge.core.indexes.sheet import IndexSet, Workload, index_set
from hardy_gauge.lab.twin.asking import open_twin
from hardy_gauge.lab.twin.index_costs import IndexCosts, index_costs
from hardy_gauge.lab.twin.make import read_description

GENERIC = "statements are planned for any value, since their recorded texts hold none"


def advise_indexes(twin_folder: Path, work: Workload, bytes_: float, entries_per_s: float | None = None) -> IndexSet:
    """``bytes_`` and ``entries_per_s`` are what the new indexes may take and cost to write in all."""
    serves: dict[Candidate, list[int]] = {}
    for number, statement in enumerate(work.statements):
        for one in candidates_of(statement.text, work.tables, work.dialect):
            serves.setdefault(one, []).append(number)
    candidates = list(serves)
    texts = [statement.text for statement in work.statements]
    cautions = [*read_description(twin_folder).cautions, GENERIC]
    with open_twin(twin_folder) as twin, index_costs(twin, texts, [one.words for one in candidates]) as costs:
        offers = [_offer(work, one, number, serves[one], costs) for number, one in enumerate(candidates)]
        chooser = Chooser(
            [Work(one.calls, one.time_s) for one in work.statements], offers, costs.cost,
            Budget(bytes_, None if entries_per_s is None else entries_per_s * work.seconds),
        )  # fmt: skip
        chosen = chooser.choose()
        names = {number: one.name for number, one in enumerate(costs.made) if one is not None}
        unwritten = sorted(
            {
                candidates[s.candidate].table
                for s in chosen.steps
                if work.tables[candidates[s.candidate].table].writes is None
            }
        )
        cautions += [
            f"what is written to {table} is not known, nor what keeping its indexes up costs" for table in unwritten
        ]
        return index_set(
            work, chooser, chosen, candidates, names, costs.used,
            lambda statement, final, index: costs.cost(statement, final, frozenset([index])), _unknown(work, candidates, costs), cautions,
        )  # fmt: skip


def _offer(work: Workload, one: Candidate, number: int, serves: Sequence[int], costs: IndexCosts) -> Offer:
    """One that cannot be made takes more than any budget."""
    made, writes = costs.made[number], work.tables[one.table].writes
    if made is None:
        return Offer(float("inf"), 0.0, [])
    entries = writes.entries_per_s([*one.keys, *one.include]) * work.seconds if writes is not None else 0.0
    return Offer(float(made.bytes), entries, [s for s in serves if s not in costs.problems])


def _unknown(work: Workload, candidates: Sequence[Candidate], costs: IndexCosts) -> list[str]:
    statements = [
        f"the plan of {work.statements[number].text[:80]}: {why}" for number, why in sorted(costs.problems.items())
    ]
    return statements + [
        f"the worth of {candidates[number].words}: {why}" for number, why in sorted(costs.refused.items())
    ]
