"""What a check is, and what it finds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Generic, Literal, TypeVar, get_args

from hardy_gauge.core.checks.statement import Parsed

Grade = Literal["note", "plan", "act"]
GRADES: tuple[Grade, ...] = get_args(Grade)
Family = Literal[
    "columns",
    "changes",
    "conditions",
    "joins",
    "sorting",
    "subqueries",
    "sets",
    "values",
    "schema changes",
    "plan",
    "figures",
]


Of = TypeVar("Of")


@dataclass(frozen=True)
class Check(Generic[Of]):
    """``find`` gives what it saw, in words, once for each place. ``why`` it matters, ``remedy`` what to do, ``safe`` whether that can be
    taken to production as it is, ``sure`` from 0 to 1 how sure it is that this is wrong.
    """

    name: str
    family: Family
    title: str
    grade: Grade
    why: str
    remedy: str
    safe: str
    sure: float
    find: Callable[[Of], Iterable[str]]


TextCheck = Check[Parsed]


@dataclass(frozen=True)
class Found:
    """One place in one statement, its plan, or its figures."""

    check: Check[Any]
    seen: str

    @property
    def message(self) -> str:
        return f"{self.check.title}: {self.seen}. {self.check.why}"


def at_least(grade: Grade, least: Grade) -> bool:
    return GRADES.index(grade) >= GRADES.index(least)
