"""Trials in words: the list, the goal, what an arm changes, how executions arrive, what was held equal.

Designs are documents as their authors wrote them, so figures keep their units as written.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from hardy_gauge.core.figures.formatting import counted, duration
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
    return f"{counted(int(arrival.get('workers') or 1), 'worker')}{ORDERS.get(arrival.get('order', ''), '')}, {_pause_words(arrival)}"


def not_taken_up_words(due: int, left: int, sessions: int) -> str:
    """Arrivals that no session was free for before the run ended."""
    return f"{left} of {counted(due, 'arrival')} of a run were not taken up before it ended: the server, or {counted(sessions, 'session')}, cannot keep up with them"


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
        f"{where}; {counted(len(workload['statements']), 'statement')}, {arrival_words(workload['arrival'])}; runs of {written_duration(seconds)}{empty}, "
        f"one of each arm in each of {blocks} blocks, in an order drawn anew with seed {seed}."
    )


INTERRUPTED = "stopped before its last run; nothing of it is left running"


def plan_sentence(most: bool, runs: int, seconds: float, held: str) -> str:
    """How much would be run, and for how long at least; ``most``: it may end before."""
    told = f"{'At most ' if most else ''}{counted(runs, 'run')} of {duration(seconds)}"
    return f"{told}, {duration(runs * seconds)} in all and some seconds before each run. {held}"


def in_force_words(arms: Sequence[Mapping[str, Any]]) -> list[str]:
    """Settings as the server itself told them: what differs, arm by arm, then what all have alike. Empty where none were told."""
    told = {arm["arm"]: arm.get("settings_in_force") or {} for arm in arms}
    told = {name: settings for name, settings in told.items() if settings}
    if not told:
        return []
    names = list(next(iter(told.values())))
    alike = [one for one in names if len({str(settings.get(one)) for settings in told.values()}) == 1]
    first = next(iter(told.values()))
    lines = [
        f"{arm}: {', '.join(f'{one} {settings.get(one)}' for one in names if one not in alike)}"
        for arm, settings in told.items()
        if len(alike) < len(names)
    ]
    return [*lines, f"all: {', '.join(f'{one} {first[one]}' for one in alike)}"]


def arm_plans_sentence(known: int, statements: int, unlike: int, first: str) -> str:
    """Of how many statements with known plans another arm has another plan than the ``first``."""
    of = counted(known, "statement") if known == statements else f"{known} of {counted(statements, 'statement')}"
    if not unlike:
        return f"The server told its plans for {of}; they are the same in every arm."
    are = f"{unlike} of them are" if unlike > 1 else "one of them is"
    return f"The server told its plans for {of}; {are if known > 1 else 'it is'} planned otherwise in some arm than in {first}."


def way_back_sentence(server: str, done: bool, running: bool, problem: str, changed: bool) -> str:
    """Whether a server that a trial changes is as it was."""
    if not changed:
        return f"Nothing of {server} itself was changed; settings were those of the trial's own sessions."
    if done:
        return f"{server} is as it was before: everything was set back."
    if problem:
        return f"{server} is not as it was before: {problem}. It is tried again every minute; or run these by hand:"
    if running:
        return f"At the end of the trial, and also after a kill, {server} is set back:"
    return f"{server} is being set back:"


def family_words(candidates: int, level: float) -> list[str]:
    """That several candidates are compared with one control; empty for one."""
    if candidates < 2:
        return []
    return [
        f"{candidates} candidates are compared with one control: each interval is one of {interval_words(level)}, so that all hold together at 95%"
    ]


def interval_words(level: float) -> str:
    """The name of an interval of some level: "95%", "97.5%"."""
    return f"{100 * level:.3g}%"


def against_sentence(first: int, second: int, metric: str, told: str, differs: int) -> str:
    """Two trials beside each other; ``told`` is the ratio of their arms in words."""
    unlike = "nothing else is said to differ" if not differs else f"{counted(differs, 'thing')} in their designs differ"
    unlike = unlike if differs != 1 else "one thing in their designs differs"
    return f"{metric[0].upper()}{metric[1:]} of trial {second} {told} of trial {first}; {unlike}. They did not run in the same blocks, so what drifts between them counts as a difference."


def no_ratio_sentence(first: int, second: int) -> str:
    """Two trials that have too few runs to be compared."""
    return f"Trial {first} and trial {second} cannot be compared: each needs two runs or more with a figure of the same kind."
