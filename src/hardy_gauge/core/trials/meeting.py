"""How changes that were tried together meet: the figure without and with the first, a line for each level of the second, and the part of the
variation that each effect explains. Lines that are not parallel are changes that help or hide each other (Jain, *The Art of Computer
Systems Performance Analysis*, 1991, ch. 17).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from hardy_gauge.core.trials.curve import CurvePoint, curve_point
from hardy_gauge.core.trials.factorial import cells_of
from hardy_gauge.core.trials.figures import UNITS


@dataclass(frozen=True)
class MeetingLine:
    """``points`` without (x 0) and with (x 1) the first change, as far as they were run."""

    name: str
    points: Sequence[CurvePoint]


@dataclass(frozen=True)
class MeetingPanel:
    """Of one combination of the third and fourth change; ``title`` is empty where there are only two."""

    title: str
    lines: Sequence[MeetingLine]


@dataclass(frozen=True)
class ExplainedPart:
    """``share`` of the variation, by an effect or, without a name, by none."""

    name: str
    share: float
    shown: bool


@dataclass(frozen=True)
class Meeting:
    """``first`` is the change on the axis; ``parts`` are empty until there is a result."""

    first: str
    y: str
    unit: str
    panels: Sequence[MeetingPanel]
    parts: Sequence[ExplainedPart]


def meeting(
    design: Mapping[str, Any], result: Mapping[str, Any] | None, runs: Sequence[tuple[str, Mapping[str, float]]]
) -> Meeting | None:
    """Of the runs so far of a factorial trial; None of another kind, and before the first run."""
    metric = str(design["goal"]["metric"])
    figures: dict[str, list[float]] = {}
    for arm, told in runs:
        if np.isfinite(told.get(metric, np.nan)):
            figures.setdefault(arm, []).append(told[metric])
    if design.get("kind") != "factorial" or not figures:
        return None
    names = [one["name"] for one in design["factors"]]
    arms = dict(zip(cells_of(len(names)), (one["name"] for one in design["arms"]), strict=True))
    panels = []
    for rest in cells_of(len(names) - 2):
        lines = [
            MeetingLine(
                _with(names[1], second),
                [
                    curve_point(_with(names[0], first), float(first), figures[arms[first, second, *rest]], None)
                    for first in (False, True)
                    if arms[first, second, *rest] in figures
                ],
            )
            for second in (False, True)
        ]
        panels.append(MeetingPanel(", ".join(map(_with, names[2:], rest)), lines))
    return Meeting(names[0], metric, UNITS[metric], panels, _parts((result or {}).get("factorial")))


def _with(name: str, on: bool) -> str:
    return f"{'with' if on else 'without'} {name}"


def _parts(found: Mapping[str, Any] | None) -> list[ExplainedPart]:
    if not found:
        return []
    parts = [ExplainedPart(" and ".join(one["of"]), one["variation"], one["shown"]) for one in found["effects"]]
    return [*sorted(parts, key=lambda one: -one.share), ExplainedPart("", found["unexplained"], False)]
