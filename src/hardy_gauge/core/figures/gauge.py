"""A figure beside its usual range, as gauges draw it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Gauge:
    """A figure with its usual range; ``word`` says where it lies. None where it is not known."""

    value: float | None
    low: float | None
    centre: float | None
    high: float | None
    word: str


@dataclass(frozen=True)
class NamedGauge(Gauge):
    """A gauge with the name, title and unit of its figure."""

    name: str
    title: str
    unit: str
