"""Designs of trials drawn up from what was recorded, to be read and changed before they are started."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.remedies.remedy import IndexChange, SettingChange
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.core.trials.expectation import with_expectation

ENOUGH = 60  # executions of the goal's statement in a run
SHORTEST_S, LONGEST_S = 12, 60
GUARDRAILS = [{"metric": "throughput", "worsen_at_most": "2%"}]
MOST_WORKERS = 16
FASTER_BY = 10  # the goal where nothing usual is known
ABOVE_USUAL = 3  # a 95% quantile lies this many times above the usual time per call, about


@dataclass(frozen=True)
class Change:
    """What a remedy changes, of an index or of a setting, and what it expects of that; ``statement`` is the fingerprint that it is about,
    empty where it is about all.
    """

    index: IndexChange | None
    setting: SettingChange | None
    expected: Sequence[Fact] = ()
    statement: str = ""

    @property
    def title(self) -> str:
        if self.index is not None:
            return f"Index on {self.index.table} ({', '.join(self.index.columns)})"
        return f"{self.setting.name} = {self.setting.value}" if self.setting else ""

    def arms(self) -> list[dict[str, Any]]:
        """The control, and the candidate that has the change."""
        if self.index is not None:
            added = [{"table": self.index.table, "columns": self.index.columns}]
            return [{"name": "control"}, {"name": "with index", "add_indexes": added}]
        assert self.setting is not None, "one of the two is changed"
        name = self.setting.name
        return [
            {"name": "control", "settings": {name: self.setting.before}}, {"name": "changed", "settings": {name: self.setting.value}},
        ]  # fmt: skip


def changed_trial(design: dict[str, Any], change: Change, statement: int | None) -> dict[str, Any]:
    """A design with the arms of a change, its goal that of a statement of the workload, and what is expected of it: nothing, where that is
    of a statement which is not played.
    """
    goal = design["goal"] | {"statement": statement}
    made = design | {"title": change.title, "goal": goal, "arms": change.arms()}
    return made if change.statement and statement is None else with_expectation(made, change.expected)


def goal_of(row: StatementRow) -> str:
    """A 95% quantile that is as usual; where nothing usual is known, a tenth of what it is."""
    per_call = row.time_per_call_s or row.unfinished_s / max(row.unfinished, 1)
    usual = row.reference_time_per_call_s.value if row.reference_time_per_call_s else per_call / FASTER_BY
    return f"{max(1, round(usual * ABOVE_USUAL * 1000))} ms"


def index_trial(change: Change, rows: Sequence[StatementRow], statement: int, server: str, lab: str) -> dict[str, Any]:
    """A trial of an index for one statement (its place in ``rows``) under the recorded load of a server."""
    mine = rows[statement]
    seconds = min(LONGEST_S, max(SHORTEST_S, math.ceil(ENOUGH / max(mine.calls_per_s, 0.01))))
    called = [row for row in rows if row.calls_per_s > 0]
    return changed_trial({
        "question": f"Does the index bring the statement back under its goal, with the load of {server}?",
        "goal": {"metric": "p95", "at_most": goal_of(mine)}, "guardrails": GUARDRAILS, "target": {"server": lab},
        "workload": recorded_load(called), "run": {"seconds": f"{seconds} s", "blocks": 5, "seed": 1},
    }, change, called.index(mine))  # fmt: skip


def recorded_load(called: Sequence[StatementRow]) -> dict[str, Any]:
    """All statements at the rates at which they were called."""
    return {
        "arrival": {"kind": "open", "rate": f"{sum(row.calls_per_s for row in called):.0f} /s"},
        "statements": [{"sql": row.text, "weight": row.calls_per_s} for row in called],
    }


def setting_trial(change: Change, rows: Sequence[StatementRow], server: str, lab: str) -> dict[str, Any]:
    """A trial of a setting under the recorded load of a server; the goal is the time of the statement that it is for, or of all calls."""
    called = [row for row in rows if row.calls_per_s > 0]
    mine = next((place for place, row in enumerate(called) if row.fingerprint == change.statement), None)
    usual = [row.reference_time_per_call_s.value for row in called if row.reference_time_per_call_s]
    goal = (
        f"{max(1, round(ABOVE_USUAL * max(usual, default=0.01) * 1000))} ms" if mine is None else goal_of(called[mine])
    )
    return changed_trial({
        "question": f"Does {change.title} help with the load of {server}?",
        "goal": {"metric": "p95", "at_most": goal}, "guardrails": GUARDRAILS, "target": {"server": lab},
        "workload": recorded_load(called), "run": {"seconds": f"{LONGEST_S} s", "blocks": 5, "seed": 1},
    }, change, mine)  # fmt: skip


def workload_trial(name: str, statements: list[Any], lab: str) -> dict[str, Any]:
    """A trial that plays a stored workload, with a candidate that is still to be changed."""
    return {
        "title": f"{name} with one change", "question": "", "goal": {"metric": "p95", "at_most": "50 ms"},
        "guardrails": GUARDRAILS, "target": {"server": lab},
        "workload": {"arrival": {"kind": "closed", "workers": 8, "think": "100 ms"}, "statements": statements},
        "arms": [{"name": "control"}, {"name": "candidate"}], "run": {"seconds": "30 s", "blocks": 5, "seed": 1},
    }  # fmt: skip


def lab_trial(server: str, statements: Sequence[tuple[StatementRow, dict[str, Any]]]) -> dict[str, Any]:
    """A trial on a lab server that is changed for it, under its own recorded statements with the values given; a candidate that is still
    to be changed. As many workers as there were sessions at work (Little 1961: rate × time), and at least one.
    """
    work = sum(row.calls_per_s * (row.time_per_call_s or 0.0) for row, _ in statements)
    longest = max((row.time_per_call_s or 0.0 for row, _ in statements), default=0.0)
    played = [{"sql": row.text, "weight": float(f"{row.calls_per_s:.3g}"), **values} for row, values in statements]
    return {
        "title": f"A change on {server}", "question": "",
        "goal": {"metric": "p95", "at_most": f"{max(1, round(longest * ABOVE_USUAL * 1000))} ms"},
        "guardrails": GUARDRAILS, "target": {"server": server},
        "workload": {
            "arrival": {"kind": "closed", "workers": min(MOST_WORKERS, max(1, math.ceil(work)))},
            "statements": played or [{"sql": "SELECT 1", "weight": 1, "parameters": []}],
        },
        "arms": [{"name": "control"}, {"name": "candidate"}], "run": {"seconds": "20 s", "blocks": 5, "seed": 1},
    }  # fmt: skip
