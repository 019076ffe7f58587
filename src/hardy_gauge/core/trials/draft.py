"""Designs of trials drawn up from what was recorded, to be read and changed before they are started."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from hardy_gauge.core.remedies.remedy import IndexChange, SettingChange
from hardy_gauge.core.statements.rows import StatementRow

ENOUGH = 60  # executions of the goal's statement in a run
SHORTEST_S, LONGEST_S = 12, 60
GUARDRAILS = [{"metric": "throughput", "worsen_at_most": "2%"}]
FASTER_BY = 10  # the goal where nothing usual is known
ABOVE_USUAL = 3  # a 95% quantile lies this many times above the usual time per call, about


def index_trial(
    index: IndexChange, rows: Sequence[StatementRow], statement: int, server: str, lab: str
) -> dict[str, Any]:
    """A trial of an index for one statement (its place in ``rows``) under the recorded load of a server."""
    mine = rows[statement]
    per_call = mine.time_per_call_s or mine.unfinished_s / max(mine.unfinished, 1)
    usual = mine.reference_time_per_call_s.value if mine.reference_time_per_call_s else per_call / FASTER_BY
    seconds = min(LONGEST_S, max(SHORTEST_S, math.ceil(ENOUGH / max(mine.calls_per_s, 0.01))))
    called = [row for row in rows if row.calls_per_s > 0]
    return {
        "title": f"Index on {index.table} ({', '.join(index.columns)})",
        "question": f"Does the index bring the statement back under its goal, with the load of {server}?",
        "goal": {
            "metric": "p95", "at_most": f"{max(1, round(usual * ABOVE_USUAL * 1000))} ms", "statement": called.index(mine),
        },
        "guardrails": GUARDRAILS,
        "target": {"server": lab},
        "workload": {
            "arrival": {"kind": "open", "rate": f"{sum(row.calls_per_s for row in called):.0f} /s"},
            "statements": [{"sql": row.text, "weight": row.calls_per_s} for row in called],
        },
        "arms": [{"name": "control"}, {"name": "with index", "add_indexes": [{"table": index.table, "columns": index.columns}]}],
        "run": {"seconds": f"{seconds} s", "blocks": 5, "seed": 1},
    }  # fmt: skip


def setting_trial(setting: SettingChange, rows: Sequence[StatementRow], server: str, lab: str) -> dict[str, Any]:
    """A trial of a setting under the recorded load of a server; the goal is the time of all calls."""
    called = [row for row in rows if row.calls_per_s > 0]
    usual = [row.reference_time_per_call_s.value for row in called if row.reference_time_per_call_s]
    goal_s = ABOVE_USUAL * max(usual, default=0.01)
    return {
        "title": f"{setting.name} = {setting.value}",
        "question": f"Does {setting.name} = {setting.value} help with the load of {server}?",
        "goal": {"metric": "p95", "at_most": f"{max(1, round(goal_s * 1000))} ms", "statement": None}, "guardrails": GUARDRAILS,
        "target": {"server": lab},
        "workload": {
            "arrival": {"kind": "open", "rate": f"{sum(row.calls_per_s for row in called):.0f} /s"},
            "statements": [{"sql": row.text, "weight": row.calls_per_s} for row in called],
        },
        "arms": [
            {"name": "control", "settings": {setting.name: setting.before}}, {"name": "changed", "settings": {setting.name: setting.value}},
        ],
        "run": {"seconds": f"{LONGEST_S} s", "blocks": 5, "seed": 1},
    }  # fmt: skip


def workload_trial(name: str, statements: list[Any], lab: str) -> dict[str, Any]:
    """A trial that plays a stored workload, with a candidate that is still to be changed."""
    return {
        "title": f"{name} with one change", "question": "", "goal": {"metric": "p95", "at_most": "50 ms"},
        "guardrails": GUARDRAILS, "target": {"server": lab},
        "workload": {"arrival": {"kind": "closed", "workers": 8, "think": "100 ms"}, "statements": statements},
        "arms": [{"name": "control"}, {"name": "candidate"}], "run": {"seconds": "30 s", "blocks": 5, "seed": 1},
    }  # fmt: skip
