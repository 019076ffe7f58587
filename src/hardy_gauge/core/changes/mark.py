"""A moment at which something changed or began, as it is marked on a time axis."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Mark:
    """A change, or the beginning of a finding (its kind is the grade), at a moment of a time axis."""

    at_us: int
    server: str
    kind: str
    title: str
