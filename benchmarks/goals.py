"""What a benchmark wants of its figures, and how both are printed beside each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fnmatch import fnmatch


@dataclass(frozen=True)
class Goal:
    """A figure is at most ``limit``, or at least it."""

    limit: float
    least: bool = False

    def met(self, value: float) -> bool:
        return value >= self.limit if self.least else value <= self.limit

    def __str__(self) -> str:
        return f"{'≥' if self.least else '≤'} {self.limit:,.4g}"


Goals = Mapping[str, Goal]  # by the figure's name, in which * stands for anything


def at_most(limit: float) -> Goal:
    return Goal(limit)


def at_least(limit: float) -> Goal:
    return Goal(limit, least=True)


def goal_of(figure: str, goals: Goals) -> Goal | None:
    return next((goal for name, goal in goals.items() if fnmatch(figure, name)), None)


def shown(found: Mapping[str, float], goals: Goals) -> str:
    """A line a figure: its name, its value, what is wanted, and whether it is so."""
    lines = []
    for figure, value in found.items():
        goal = goal_of(figure, goals)
        wanted = "" if goal is None else f"{goal!s:>14}  {'met' if goal.met(value) else 'not met'}"
        lines.append(f"  {figure:<64}{value:>14,.4g}{wanted}".rstrip())
    return "\n".join(lines)
