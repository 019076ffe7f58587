"""One trouble on several servers: of a cluster, of a release, of what lies around them; and what is not one."""

from __future__ import annotations

import pytest

from hardy_gauge.core.diagnosis.finding import Finding, Impact, Subject
from hardy_gauge.core.diagnosis.folding import is_one
from hardy_gauge.core.time.span import MINUTE_US


def found(cause: str, subject: Subject) -> Finding:
    return Finding(cause, "x", subject, Impact(1, 1, 1), 0.1, 0.1, 0.1, "plan", 0.9, [], [])


STATEMENT, OTHER = Subject("statement", "f1"), Subject("statement", "f2")
VOLUME, SERVER, TABLE = Subject("volume", "data"), Subject("server", "a"), Subject("table", "loan")


@pytest.mark.parametrize(
    ("cause", "a", "b", "same_cluster", "minutes", "one"),
    [
        ("wide_select", STATEMENT, STATEMENT, False, 90, True),  # one release on two clusters
        ("wide_select", STATEMENT, OTHER, True, 0, False),
        ("upkeep_off", TABLE, TABLE, True, 500, True),
        ("upkeep_off", TABLE, TABLE, False, 0, False),  # tables of one name in two clusters are two tables
        ("volume_shared", VOLUME, VOLUME, False, 2, True),  # one storage under two clusters
        ("volume_shared", VOLUME, VOLUME, False, 40, False),
        ("network_slow", SERVER, Subject("server", "b"), False, 1, True),
        ("session_flood", SERVER, Subject("server", "b"), True, 0, False),
    ],
)
def test_what_is_one_trouble(cause: str, a: Subject, b: Subject, same_cluster: bool, minutes: int, one: bool) -> None:
    assert (
        is_one(found(cause, a), "east", 0, found(cause, b), "east" if same_cluster else "west", minutes * MINUTE_US)
        is one
    )


def test_other_causes_are_other_troubles() -> None:
    assert not is_one(found("hot_row", STATEMENT), "east", 0, found("over_fetch", STATEMENT), "east", 0)
