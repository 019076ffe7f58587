"""Trials in words: the list, the goal, what an arm changes, how executions arrive, what was held equal.

Designs are documents as their authors wrote them, so figures keep their units as written.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hardy_gauge.core.figures.units import written_duration

ORDERS = {"file": ", each in the order of the file", "own": ", each with a statement of its own"}


def trials_sentence(count: int, running: int) -> str:
    """How many trials there are, and how many run."""
    if not count:
        return "No trial yet. State a goal and try one change."
    filed = f"{count} trials" if count != 1 else "One trial"
    return f"{filed}, {running or 'none'} running."


def goal_words(goal: Mapping[str, Any]) -> str:
    """ "p95 at most 5 ms"."""
    most = goal.get("at_most")
    return (
        f"{goal['metric']} {'at least' if most is None else 'at most'} {goal.get('at_least') if most is None else most}"
    )


def changes_words(arm: Mapping[str, Any]) -> str:
    """What an arm changes; "as it is" where it changes nothing."""
    parts = [f"{name} = {value}" for name, value in (arm.get("settings") or {}).items()]
    return "; ".join([*parts, *([] if parts and not _indexes(arm) else [index_words(arm)])])


def index_words(arm: Mapping[str, Any]) -> str:
    """Which indexes an arm adds and drops; "as it is" where none."""
    return "; ".join(_indexes(arm)) or "as it is"


def _indexes(arm: Mapping[str, Any]) -> list[str]:
    added = [f"index on {one['table']} ({', '.join(one['columns'])})" for one in arm.get("add_indexes") or []]
    return [*added, *(f"without index {name}" for name in arm.get("drop_indexes") or [])]


def arrival_words(arrival: Mapping[str, Any]) -> str:
    """How executions arrive."""
    kind = arrival.get("kind", "closed")
    if kind == "open":
        return f"arriving at random, {arrival.get('rate')} on average"
    if kind == "recorded":
        return f"{len(arrival.get('times') or [])} arrivals as recorded"
    return f"{arrival.get('workers')} workers{ORDERS.get(arrival.get('order', ''), '')}, {_pause_words(arrival)}"


def _pause_words(arrival: Mapping[str, Any]) -> str:
    kind = arrival.get("think_kind", "exponential")
    if kind == "uniform":
        return f"pausing {arrival.get('think') or '0 s'} to {arrival.get('think_most')}"
    if not arrival.get("think"):
        return "without pause"
    return f"pausing {arrival['think']} {'each time' if kind == 'fixed' else 'on average'}"


def held_words(
    target: Mapping[str, Any], workload: Mapping[str, Any], seconds: float, blocks: int, seed: int, cold: bool
) -> str:
    """What was the same for every arm; ``seconds`` is the length of a run."""
    lab = f"Lab server {target['server']}, playing by events" if target.get("server") else None
    made = "A fresh copy of one data folder for each run, on a PostgreSQL that is made for the trial and started anew, on the wall clock"
    where = (
        lab
        or (made if target.get("postgresql") else None)
        or "A fresh copy of one SQLite file for each run, on the wall clock"
    )
    empty = ", each with empty caches at first" if cold else ""
    return (
        f"{where}; {len(workload['statements'])} statements, {arrival_words(workload['arrival'])}; runs of {written_duration(seconds)}{empty}, "
        f"one of each arm in each of {blocks} blocks, in an order drawn anew with seed {seed}."
    )
