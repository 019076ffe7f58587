"""How changes meet, with the figures of Jain's worked example (*The Art of Computer Systems Performance Analysis*, 1991, table 17.1: a
workstation with two sizes of memory and of cache; 15, 45, 25 and 75, from memory); the effects themselves are checked in test_trial_kinds.py.
"""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.core.trials.meeting import meeting

NAMES = ["memory", "cache", "disk", "network"]


def design(factors: int) -> dict[str, Any]:
    names = NAMES[:factors]
    arms = [
        " and ".join(name for place, name in enumerate(names) if number >> place & 1) or "none"
        for number in range(2**factors)
    ]
    return {
        "kind": "factorial",
        "goal": {"metric": "throughput"},
        "factors": [{"name": one} for one in names],
        "arms": [{"name": one} for one in arms],
    }


def runs(factors: int, figures: list[float], blocks: int = 2) -> list[tuple[str, dict[str, float]]]:
    return [
        (arm["name"], {"throughput": figure + block})
        for block in range(blocks)
        for arm, figure in zip(design(factors)["arms"], figures, strict=False)
    ]


def test_two_changes_are_two_lines() -> None:
    found = meeting(design(2), None, runs(2, [15.0, 45.0, 25.0, 75.0]))
    assert found is not None and (found.first, found.y, found.unit) == ("memory", "throughput", "/s")
    (panel,) = found.panels
    assert panel.title == "" and [one.name for one in panel.lines] == ["without cache", "with cache"]
    assert [[(one.x, one.mean) for one in line.points] for line in panel.lines] == [
        [(0, 15.5), (1, 45.5)],
        [(0, 25.5), (1, 75.5)],
    ]
    assert all(one.low is not None and one.low < one.mean and len(one.runs) == 2 for one in panel.lines[0].points)
    assert found.parts == []


def test_a_third_and_a_fourth_are_panels() -> None:
    found = meeting(design(4), None, runs(4, [float(number + 1) for number in range(16)]))
    assert found is not None
    assert [one.title for one in found.panels] == [
        "without disk, without network", "with disk, without network", "without disk, with network", "with disk, with network",
    ]  # fmt: skip
    assert [one.mean for line in found.panels[3].lines for one in line.points] == [13.5, 14.5, 15.5, 16.5]


def test_while_it_runs_and_afterwards() -> None:
    begun = meeting(design(2), None, runs(2, [15.0, 45.0], blocks=1))
    assert begun is not None and [len(line.points) for line in begun.panels[0].lines] == [2, 0]
    assert begun.panels[0].lines[0].points[0].low is None, "one run has no interval"
    assert (
        meeting(design(2), None, []) is None
        and meeting({"kind": "sweep", "goal": {"metric": "p95"}}, None, [("a", {"p95": 1.0})]) is None
    )
    effects = [
        {"of": ["memory"], "variation": 0.7, "shown": True},
        {"of": ["memory", "cache"], "variation": 0.05, "shown": False},
        {"of": ["cache"], "variation": 0.2, "shown": True},
    ]
    found = meeting(
        design(2), {"factorial": {"effects": effects, "unexplained": 0.05}}, runs(2, [15.0, 45.0, 25.0, 75.0])
    )
    assert found is not None
    assert [(one.name, one.share) for one in found.parts] == [
        ("memory", 0.7),
        ("cache", 0.2),
        ("memory and cache", 0.05),
        ("", 0.05),
    ]
    assert sum(one.share for one in found.parts) == pytest.approx(1.0)
