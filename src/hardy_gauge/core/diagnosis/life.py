"""The life of a finding: new, going on, noted, set aside, back, over."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.time.span import HOUR_US, Span

State = Literal["new", "going on", "back", "noted", "set aside", "over"]
LOOK_BACK_US = HOUR_US  # a diagnosis looks at the hour before its moment
WHOLE = 0.95  # of a time that was diagnosed, from which on all of it was
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


@dataclass(frozen=True)
class Lived:
    """A finding of the past as it weighed most, from when it began to when it was seen last (UTC microseconds)."""

    finding: Finding
    since_us: int
    seen_us: int


def looks_at(span: Span) -> list[int]:
    """The moments at which a span of the past is diagnosed: its end and each hour before, the first of them first."""
    return sorted(range(span.until_us, span.since_us, -LOOK_BACK_US))


def lives_of(looks: Iterable[tuple[int, Sequence[tuple[Finding, int]]]]) -> list[Lived]:
    """What was found at successive looks, each finding with its onset, as lives: a cause on a subject that is found at each of several
    looks in turn is one finding.
    """
    over: list[Lived] = []
    ended: dict[tuple[str, str], int] = {}
    going: dict[tuple[str, str], Lived] = {}
    for at_us, found in looks:
        now: dict[tuple[str, str], Lived] = {}
        for finding, since_us in found:
            key = (finding.cause, finding.subject.name)
            known = going.pop(key, None)
            if known is None:
                now[key] = Lived(finding, max(min(since_us, at_us), ended.get(key, 0)), at_us)
            else:
                heavier = finding if weight(finding) > weight(known.finding) else known.finding
                now[key] = replace(known, finding=heavier, seen_us=at_us)
        over += going.values()
        ended |= {key: one.seen_us for key, one in going.items()}
        going = now
    return [*over, *going.values()]
