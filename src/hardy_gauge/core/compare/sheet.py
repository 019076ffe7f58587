"""The sheet of a comparison: two sides, figures by how much they differ, what explains the difference, and what is unlike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.changes.followed import Shown


@dataclass(frozen=True)
class Side:
    """One side in words; ``seconds`` of it were recorded."""

    words: str
    scope: str
    span: str
    seconds: float


@dataclass(frozen=True)
class Figure:
    """A figure on both sides; ``ratio`` is right ÷ left with its interval, None where it cannot be told."""

    group: Literal["work", "waits", "statements", "host"]
    name: str
    title: str
    unit: str
    left: float | None
    right: float | None
    ratio: float | None
    low: float | None
    high: float | None
    shown: Shown


@dataclass(frozen=True)
class Part:
    """Of the difference in active sessions, what one statement adds, and how."""

    fingerprint: str
    text: str
    left: float
    right: float
    calls: float
    mix: float
    per_call: float
    whole: float


@dataclass(frozen=True)
class Explained:
    """The difference in active sessions by the statement counters, right less left, in parts that add up; ``parts`` are the statements
    that add most, either way, ``rest`` what the others add together.
    """

    left: float
    right: float
    calls: float
    mix: float
    per_call: float
    whole: float
    parts: Sequence[Part]
    rest: float


@dataclass(frozen=True)
class Unlike:
    """Something that is not the same on both sides: a setting, a table or an index, a plan, the host."""

    kind: Literal["setting", "schema", "plan", "host"]
    name: str
    left: str
    right: str
    fingerprint: str = ""


@dataclass(frozen=True)
class Comparison:
    """``figures`` by how much they differ, those that are shown first; ``same`` is how many of them show no difference."""

    sentence: str
    left: Side
    right: Side
    figures: Sequence[Figure]
    same: int
    explained: Explained | None
    unlike: Sequence[Unlike]
    notes: Sequence[str]
