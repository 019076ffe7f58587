"""A design and its result in words, and the sums that its charts show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.narrative.expectations import expected_words
from hardy_gauge.core.narrative.trials import (
    arrival_words,
    changes_words,
    goal_words,
    held_words,
    in_force_words,
    index_words,
    plan_sentence,
)
from hardy_gauge.load.completed import completed
from hardy_gauge.load.design import TrialDesign, read_design


@dataclass(frozen=True)
class DesignWords:
    """``goal_value`` in seconds, or executions a second; ``changes`` and ``indexes`` of each arm in order; ``runs`` is how many at most;
    ``expected``: what advice expects of the candidate, empty where nothing is.
    """

    goal: str
    goal_value: float
    arrival: str
    held: str
    changes: list[str]
    indexes: list[str]
    runs: int
    expected: str


def design_words(document: dict[str, Any]) -> DesignWords:
    """The words of a design; BadTrial names what is wrong with it."""
    design = read_design(document)
    document = completed(document, design)
    run, workload, arms = design.run, document["workload"], document["arms"]
    held = held_words(document["target"], workload, run.seconds, run.blocks, run.seed, run.cold)
    return DesignWords(
        goal_words(document["goal"]), design.goal.value, arrival_words(workload["arrival"]), held,
        [changes_words(arm) for arm in arms], [index_words(arm) for arm in arms], design.most_runs(), expected_words(document.get("expects")),
    )  # fmt: skip


def settings_told(result: Mapping[str, Any] | None) -> list[str]:
    """Settings in force, as the server told them; empty where it told none."""
    return in_force_words((result or {}).get("arms", []))


def arm_sessions(result: Mapping[str, Any] | None) -> dict[str, float]:
    """Active sessions of every arm in all; empty where the target does not report what its sessions wait for."""
    found = {arm["arm"]: float(sum(arm["active_sessions"].values())) for arm in (result or {}).get("arms", [])}
    return found if any(found.values()) else {}


@dataclass(frozen=True)
class TrialPlan:
    """What a trial would do: ``runs`` at most, ``seconds_at_least`` of them together, what each arm changes in words."""

    kind: str
    sentence: str
    runs: int
    seconds_at_least: float
    arms: dict[str, str]
    cautions: list[str]


def plan_of(design: TrialDesign) -> TrialPlan:
    """Without doing anything."""
    run = design.run
    runs = design.most_runs()
    target, workload = design.target.model_dump(exclude_none=True, mode="json"), design.workload.model_dump(mode="json")
    held = held_words(target, workload, run.seconds, run.blocks, run.seed, run.cold)
    most = design.kind in ("as-needed", "queries")
    return TrialPlan(
        design.kind, plan_sentence(most, runs, run.seconds, held), runs, 0.0 if design.kind == "queries" else runs * run.seconds,
        {arm.name: changes_words(arm.model_dump(mode="json")) for arm in design.arms}, design.cautions(),
    )  # fmt: skip
