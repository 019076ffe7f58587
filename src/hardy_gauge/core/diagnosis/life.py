"""The life of a finding: new, going on, noted, set aside, back, over."""

from __future__ import annotations

from typing import Literal

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.time.span import HOUR_US

State = Literal["new", "going on", "back", "noted", "set aside", "over"]
NEW_US = HOUR_US
GROWN = 1.5  # what was set aside is shown again when it weighs so many times what it weighed then


def weight(finding: Finding) -> float:
    """What is compared when a finding was set aside: its impact, or where that is a time that is left, how near it is."""
    value = finding.impact.value
    return 1 / max(value, 1.0) if finding.impact.unit == "s" else value


def is_aside(finding: Finding, aside_us: int | None, aside_weight: float | None) -> bool:
    """Whether it stays silent: set aside, and not grown by half since."""
    if aside_us is None:
        return False
    then = aside_weight or 0.0
    return weight(finding) < GROWN * then if then > 0 else weight(finding) <= 0


def state_of(
    now_us: int, since_us: int, ended_us: int | None, before_us: int | None, noted: bool, aside: bool
) -> State:
    """One word for where a finding is in its life."""
    if ended_us is not None:
        return "over"
    if aside:
        return "set aside"
    if noted:
        return "noted"
    if before_us is not None:
        return "back"
    return "new" if now_us - since_us < NEW_US else "going on"
