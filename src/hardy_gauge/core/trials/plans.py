"""Which statements of a workload have another plan in one arm than in the first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.narrative.trials import arm_plans_sentence
from hardy_gauge.core.plans.comparison import compare_plans
from hardy_gauge.core.plans.readers import read_document

Documents = Sequence[Mapping[str, Any] | None]


@dataclass(frozen=True)
class OtherPlan:
    """A statement by its number, an arm, and in words what is not the same in its plan as in that of the first arm."""

    statement: int
    arm: str
    sentence: str


@dataclass(frozen=True)
class ArmPlans:
    """``known`` is how many of the statements have a plan in every one of ``arms``, ``first`` the arm that the others are held against."""

    sentence: str
    known: int
    first: str
    arms: list[str]
    other: list[OtherPlan]


def arm_plans(plans: Mapping[str, Documents]) -> ArmPlans | None:
    """From the plan documents of each arm in the order of the statements; a statement counts where every arm has one. None where none does."""
    arms = [arm for arm, documents in plans.items() if documents]
    if len(arms) < 2:
        return None
    read = {arm: [None if one is None else read_document(one) for one in plans[arm]] for arm in arms}
    rows = list(zip(*read.values(), strict=True))
    known = {number: whole for number, row in enumerate(rows) if len(whole := [one for one in row if one]) == len(arms)}
    if not known:
        return None
    other = [
        OtherPlan(number, arm, compare_plans(row[0], one).sentence)
        for number, row in known.items()
        for arm, one in zip(arms, row, strict=True)
        if one.plan_id != row[0].plan_id
    ]
    unlike = len({one.statement for one in other})
    return ArmPlans(arm_plans_sentence(len(known), len(rows), unlike, arms[0]), len(known), arms[0], arms, other)
