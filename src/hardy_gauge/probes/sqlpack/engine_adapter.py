"""What a pack's queries cannot say: how an engine is asked for a plan, and how its log is read."""

from __future__ import annotations

import importlib
from typing import Protocol, cast

from hardy_gauge.probes.protocol import Executions, Explained, ExplainRequest, LogMessages
from hardy_gauge.probes.sqlpack.connection import Line, Row


class EngineAdapter(Protocol):
    """What the class ``EngineAdapter`` of an engine's module beside its pack does; it keeps its place in the log."""

    def __init__(self, line: Line) -> None: ...
    def close(self) -> None:
        """Close what it opened beside ``line``."""

    def explain(self, request: ExplainRequest) -> Explained:
        """The plan of a text."""

    def own_rows(self, sql: str, most_rows: int) -> list[Row]:
        """Rows of a user's own query with ``value`` and perhaps ``label``; the server itself keeps it from writing."""

    def executions(self, since_us: int, threshold_s: float, literals: bool) -> Executions:
        """Finished executions from the log."""

    def messages(self, since_us: int) -> LogMessages:
        """Messages from the log."""


def adapter_of(name: str, line: Line) -> EngineAdapter:
    """The adapter of an engine's module."""
    module = importlib.import_module(f"hardy_gauge.probes.sqlpack.{name}")
    return cast(type[EngineAdapter], module.EngineAdapter)(line)
