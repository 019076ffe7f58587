"""Plans: asked for by text or by key, also with indexes that do not exist."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, Message
from hardy_gauge.probes.protocol.state import IndexSpec


class Step(Message):
    """One step of a plan. ``time_s`` includes the steps below it; None when it was not run.

    ``rows_*`` and ``time_s`` are totals over all ``loops``.
    """

    operation: str
    words: str
    object: str | None = None
    index: str | None = None
    predicate: str | None = None
    rows_expected: float
    rows_seen: float | None = None
    rows_examined: float | None = None
    loops: float = 1
    cost: float | None = None
    time_s: float | None = None
    pages_requested: float | None = None
    pages_read: float | None = None
    includes_below: bool = Field(
        True, description="whether time_s includes the steps below; false of steps that work in batches"
    )
    processes: float = Field(1.0, description="processes that ran it beside each other")
    summed_s: float | None = Field(None, description="the time of all its processes together")
    workers_planned: float | None = None
    workers_launched: float | None = None
    rows_removed: float | None = None
    memory_bytes: float | None = None
    memory_wanted_bytes: float | None = Field(None, description="what it would have needed to write nothing to disk")
    spilled_bytes: float | None = None
    moved_rows: float | None = Field(None, description="rows that it made for a step on another server")
    moved_bytes: float | None = None
    result: str = Field(
        "", description="what its result is called by the steps that read it; SubPlan: run for each row above"
    )
    narrowed: bool | None = Field(None, description="whether an index was read by a condition and not from end to end")
    steps: list[Step] = Field(max_length=MOST_NAMES, default_factory=list)


class ExplainRequest(Message):
    """``add_indexes`` and ``drop_indexes`` ask "what if": nothing is built or dropped; ``unpinned``, what the planner would choose
    without a pin.
    """

    text: str
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)
    unpinned: bool = False


class PlannerFacts(Message):
    """All that a server's planner knows of its database, in the engine's own words, as the maker of a twin takes it.

    ``values`` tells whether the values inside statistics are those of the rows or replaced by others in the same order; ``left_out``
    what is not in the document, and why.
    """

    at_us: int
    values: Literal["kept", "replaced"]
    document: dict[str, Any]
    left_out: list[str]


class Trigger(Message):
    """What a trigger or a constraint did after the rows were written."""

    name: str
    object: str = ""
    calls: float = 0.0
    time_s: float = 0.0


class Explained(Message):
    """A plan that a server would use or used. Times in seconds; cost in the engine's own unit."""

    plan_key: str
    cost: float
    time_s: float | None
    root: Step
    planning_s: float | None = None
    execution_s: float | None = Field(None, description="from the first step to the end, with triggers")
    compiled_s: float | None = Field(None, description="of it, compiling expressions")
    triggers: list[Trigger] = Field(max_length=MOST_NAMES, default_factory=list)
    for_values: bool | None = Field(None, description="planned for the values of one call; false: for any values")
