"""Troubles of a scenario that cannot act, and why: what they are about is not done there, they are over, or another one does the same."""

from __future__ import annotations

from itertools import combinations
from math import inf

from practice_fleet.scenario.clusters import ServerSpec
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import BaseTrouble

MINUTES_A_DAY = 1440.0
STATEMENTS = ("statement", "then")
TARGETS = ("statement", "then", "table", "index", "sequence", "what", "columns", "name")


def idle_troubles(scenario: Scenario) -> list[tuple[int, str]]:
    """The number of each trouble that does nothing, or nothing of its own, and why."""
    found: list[tuple[int, str]] = []
    for number, trouble in enumerate(scenario.troubles):
        ended = trouble.end_minutes_ago
        if ended is not None and ended >= scenario.history_days * MINUTES_A_DAY:
            found.append(
                (number, f"it ended {ended:g} minutes ago, before the history of {scenario.history_days:g} days begins")
            )
        for name in trouble.servers:
            found += [(number, why) for why in _not_run(scenario, trouble, name)]
    for (first, one), (second, other) in combinations(enumerate(scenario.troubles), 2):
        shared = sorted(set(one.servers) & set(other.servers))
        if shared and one.cause == other.cause and _target(one) == _target(other) and _overlap(one, other):
            found.append((second, f"troubles.{first} is the same on {', '.join(shared)} at the same time"))
    return sorted(found)


def _not_run(scenario: Scenario, trouble: BaseTrouble, name: str) -> list[str]:
    cluster, server = scenario.servers()[name]
    statements = scenario.database_of(name).statements
    idle = trouble.idle_on(server.role, cluster.host)
    found = [f"{idle}; {name} is a {server.role}" if trouble.acts_on else f"{name}: {idle}"] if idle else []
    for field in STATEMENTS:
        key = getattr(trouble, field, None)
        if isinstance(key, str) and key in statements and not _runs(statements[key], server):
            found.append(
                f"{field} {key} is run on the {statements[key].on} and not on {name}, which is a {server.role}"
            )
    return found


def _runs(statement: StatementSpec, server: ServerSpec) -> bool:
    role = "replica" if server.role == "replica" and not server.copy_of else "primary"
    return statement.on in ("all", role)


def _target(trouble: BaseTrouble) -> tuple[object, ...]:
    return tuple(str(getattr(trouble, field, "")) for field in TARGETS)


def _overlap(one: BaseTrouble, other: BaseTrouble) -> bool:
    ends = [-inf if t.end_minutes_ago is None else t.end_minutes_ago for t in (one, other)]
    return one.start_minutes_ago > ends[1] and other.start_minutes_ago > ends[0]
