"""A fact: one figure that speaks for a finding or a remedy."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Fact:
    """What, how much, in which unit, its reference, and where it was read. ``low`` and ``high`` are its interval, where
    the source has one.
    """

    what: str
    value: float
    unit: str
    source: str
    reference: float | None = None
    low: float | None = None
    high: float | None = None
