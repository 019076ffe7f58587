"""The plan as the product sees it, whatever engine made it: a tree of steps with times and rows."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, field

from hardy_gauge.errors import InvalidInput


@dataclass
class Step:
    """One step. ``time_s`` is elapsed and of all ``loops``; None if not run. It includes the steps below, but where ``includes_below`` is
    false (steps that work in batches).

    ``processes`` is how many processes ran the step beside each other, ``summed_s`` the time of all of them together; ``rows_*`` are
    totals. ``memory_bytes`` is what it took, ``memory_wanted_bytes`` what it would have needed to write nothing to disk,
    ``spilled_bytes`` what it wrote there. ``moved_rows`` and ``moved_bytes`` are results that it made for another step on another server. ``result`` is what other steps call its result, ``conditions`` all
    conditions of the step in the engine's words; ``narrowed`` whether an index was read by a condition and not from end to end (None:
    not known).
    """

    operation: str
    words: str
    object: str | None = None
    index: str | None = None
    predicate: str | None = None
    rows_expected: float = 0.0
    rows_seen: float | None = None
    rows_examined: float | None = None
    loops: float = 1.0
    cost: float | None = None
    time_s: float | None = None
    pages_requested: float | None = None
    pages_read: float | None = None
    steps: list[Step] = field(default_factory=list)
    own_time_s: float | None = None
    never_run: bool = False
    includes_below: bool = True
    processes: float = 1.0
    summed_s: float | None = None
    workers_planned: float | None = None
    workers_launched: float | None = None
    rows_removed: float | None = None
    memory_bytes: float | None = None
    memory_wanted_bytes: float | None = None
    spilled_bytes: float | None = None
    moved_rows: float | None = None
    result: str = ""
    conditions: str = ""
    narrowed: bool | None = None
    moved_bytes: float | None = None

    def whole_s(self) -> float | None:
        """Its time with the steps below; None where it was not timed."""
        if self.includes_below or self.time_s is None:
            return self.time_s
        return self.time_s + sum(step.whole_s() or 0.0 for step in self.steps)

    def walk(self, depth: int = 0) -> Iterator[tuple[int, Step]]:
        """The step and all below it with their depth, in reading order."""
        left = [(depth, self)]
        while left:
            at, step = left.pop()
            yield at, step
            left += [(at + 1, below) for below in reversed(step.steps)]

    def shape(self) -> str:
        """What the step and those below it do, and on which objects: equal for plans that differ in figures only."""
        below = ",".join(step.shape() for step in self.steps)
        return f"{self.operation}:{self.object or ''}:{self.index or ''}({below})"


@dataclass(frozen=True)
class TriggerWork:
    """What a trigger or a constraint did after the rows were written, on ``object``."""

    name: str
    object: str
    calls: float
    time_s: float


@dataclass(frozen=True)
class Account:
    """A part of a plan's whole time: the parts add up to it."""

    name: str
    time_s: float


@dataclass
class Plan:
    """A whole plan; ``source`` names the reader that made it. ``time_s`` is that of the steps; ``planning_s`` and ``execution_s`` are what
    the server says of the whole. ``compiled_s`` is the part of the steps' time in which expressions were compiled.
    """

    root: Step
    source: str
    cost: float | None = None
    time_s: float | None = None
    planning_s: float | None = None
    execution_s: float | None = None
    compiled_s: float | None = None
    triggers: tuple[TriggerWork, ...] = ()

    @property
    def total_s(self) -> float | None:
        """From planning to the end; None where the plan was not run."""
        if self.time_s is None:
            return None
        return (self.planning_s or 0.0) + max(
            self.execution_s or 0.0, self.time_s + sum(one.time_s for one in self.triggers)
        )

    def accounts(self) -> list[Account]:
        """Where ``total_s`` goes: planning, the steps, each trigger, and what the coordinator did besides."""
        total = self.total_s
        if total is None or self.time_s is None:
            return []
        parts = [Account("planning", self.planning_s)] if self.planning_s is not None else []
        parts.append(Account("steps", self.time_s))
        parts += [Account(f"{one.name} on {one.object}", one.time_s) for one in self.triggers]
        if self.execution_s is not None:
            parts.append(Account("starting and ending", max(0.0, total - sum(one.time_s for one in parts))))
        return parts

    @property
    def plan_id(self) -> str:
        """Hash of the plan's shape: operations and objects, not figures."""
        return hashlib.sha256(self.root.shape().encode()).hexdigest()[:12]


class MalformedPlan(InvalidInput):
    """A text that is no plan; ``field`` names what is wrong with it."""

    title = "The plan cannot be read"

    def __init__(self, detail: str, field: str = "plan") -> None:
        super().__init__(detail, field)
