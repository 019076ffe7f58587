"""What a pack's queries cannot say: how an engine is asked for a plan, and how its log is read."""

from __future__ import annotations

import importlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol, cast

import polars as pl

from hardy_gauge.probes.protocol import (
    Column,
    Executions,
    Explained,
    ExplainRequest,
    IndexFacts,
    LogMessages,
    PlannerFacts,
)
from hardy_gauge.probes.sqlpack.connection import Line, Row


@dataclass(frozen=True)
class Placed:
    """A column, and what the place of its values in a row is a multiple of, in bytes."""

    column: Column
    align: int


class EngineAdapter(Protocol):
    """What the class ``EngineAdapter`` of an engine's module beside its pack does; it keeps its place in the log."""

    def __init__(self, line: Line) -> None: ...
    def close(self) -> None:
        """Close what it opened beside ``line``."""

    def explain(self, request: ExplainRequest) -> Explained:
        """The plan of a text."""

    def planner_facts(self, keep_values: bool) -> PlannerFacts:
        """What the planner knows of the database."""

    def own_rows(self, sql: str, most_rows: int) -> list[Row]:
        """Rows of a user's own query with ``value`` and perhaps ``label``; the server itself keeps it from writing."""

    def condition_totals(self, source: str, condition: str, bytes_: float) -> dict[str, float]:
        """How many rows of a table fit a plain condition, over pages drawn at random."""

    def cached_pages(self) -> pl.DataFrame:
        """One look at what the cache holds."""

    def executions(self, since_us: int, threshold_s: float, literals: bool) -> Executions:
        """Finished executions from the log."""

    def messages(self, since_us: int) -> LogMessages:
        """Messages from the log."""

    def needed_heap_bytes(self, rows: float, columns: Sequence[Placed], options: Mapping[str, str]) -> int | None:
        """What the rows of a table would take if it were written anew; None where that is not estimated."""

    def needed_index_bytes(self, rows: float, columns: Sequence[Placed], index: IndexFacts) -> int | None:
        """The same of an index over ``columns``."""


def adapter_of(name: str, line: Line) -> EngineAdapter:
    """The adapter of an engine's module."""
    module = importlib.import_module(f"hardy_gauge.probes.sqlpack.{name}")
    return cast(type[EngineAdapter], module.EngineAdapter)(line)
