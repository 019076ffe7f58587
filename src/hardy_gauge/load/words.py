"""A design and its result in words, and the sums that its charts show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.narrative.trials import arrival_words, changes_words, goal_words, held_words, index_words
from hardy_gauge.load.design import read_design


@dataclass(frozen=True)
class DesignWords:
    """``goal_value`` in seconds, or executions a second; ``changes`` and ``indexes`` of each arm in order."""

    goal: str
    goal_value: float
    arrival: str
    held: str
    changes: list[str]
    indexes: list[str]


def design_words(document: dict[str, Any]) -> DesignWords:
    """The words of a design; BadTrial names what is wrong with it."""
    design = read_design(document)
    run, workload = design.run, document["workload"]
    arms = document.get("arms") or [arm.model_dump(mode="json") for arm in design.arms]
    held = held_words(document["target"], workload, run.seconds, run.blocks, run.seed, run.cold)
    return DesignWords(
        goal_words(document["goal"]), design.goal.value, arrival_words(workload["arrival"]), held,
        [changes_words(arm) for arm in arms], [index_words(arm) for arm in arms],
    )  # fmt: skip


def arm_sessions(result: Mapping[str, Any] | None) -> dict[str, float]:
    """Active sessions of every arm in all; empty where the target does not report what its sessions wait for."""
    found = {arm["arm"]: float(sum(arm["active_sessions"].values())) for arm in (result or {}).get("arms", [])}
    return found if any(found.values()) else {}
