"""Numbers of a plan's document."""

from __future__ import annotations

from typing import Any

from hardy_gauge.core.plans.model import MalformedPlan


def number(node: dict[str, Any], name: str, where: str) -> float | None:
    """A figure of a step, None where it has none; MalformedPlan names one that is no number of at least 0."""
    value = node.get(name)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
        raise MalformedPlan(f"{where}.{name}: a number of at least 0 was expected, not {value!r}", f"{where}.{name}")
    return float(value)
