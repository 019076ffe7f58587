"""A sizing aid: what a part of a server should be like for what it does, by a formula that is named."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.remedies.remedy import Remedy


@dataclass(frozen=True)
class SizingAid:
    """``facts`` are what went into ``formula`` and what came out of it; ``source`` is where the formula is from, "common practice" where
    it is known by that; ``article`` is the group and key of its article. ``remedy`` is the change to try, None where there is none to make;
    ``undecided``: the rule does not say whether the size is right.
    """

    name: str
    title: str
    sentence: str
    facts: Sequence[Fact]
    formula: str
    source: str
    article: str
    cautions: Sequence[str] = field(default_factory=tuple)
    remedy: Remedy | None = None
    undecided: bool = False


@dataclass(frozen=True)
class Lacking:
    """An aid that cannot be given, and why."""

    title: str
    why: str
