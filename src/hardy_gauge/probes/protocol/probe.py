"""The probe itself; what can go wrong with it is in ``hardy_gauge.errors``."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

import polars as pl

from hardy_gauge.probes.protocol.changes import Done
from hardy_gauge.probes.protocol.objects import Objects
from hardy_gauge.probes.protocol.pins import PinRequest, Pins
from hardy_gauge.probes.protocol.plans import Explained, ExplainRequest, PlannerFacts
from hardy_gauge.probes.protocol.plays import HistoryKind
from hardy_gauge.probes.protocol.state import LogMessages, Schema, Settings
from hardy_gauge.probes.protocol.who import Host, Identity, Members, Readiness
from hardy_gauge.probes.protocol.work import Counters, Executions, Sessions, StatementCounters


class Probe(Protocol):
    """Reading one server. A call that the server has no ability for raises ``Unsupported``."""

    def identity(self) -> Identity:
        """Who answers, and what it can report."""

    def host(self) -> Host:
        """Cores, memory in bytes, and volumes."""

    def counters(self) -> Counters:
        """Cumulative figures of the server, and levels."""

    def statements(self) -> StatementCounters:
        """Cumulative figures by statement."""

    def sessions(self) -> Sessions:
        """Sessions that work or wait now."""

    def executions(self, since_us: int, threshold_s: float, literals: bool = False) -> Executions:
        """Executions that ended after ``since_us`` and took ``threshold_s`` or more; ``literals`` keeps values in texts."""

    def settings(self) -> Settings:
        """Settings with their defaults and ranges."""

    def schema(self) -> Schema:
        """Tables, columns and indexes with statistics."""

    def objects(self) -> Objects:
        """What is counted of tables, indexes and sequences."""

    def explain(self, request: ExplainRequest) -> Explained:
        """The plan of a text, also with indexes that do not exist; Refused where the text or the index is wrong."""

    def plan(self, plan_key: str) -> Explained:
        """A plan that was in use."""

    def messages(self, since_us: int) -> LogMessages:
        """Log messages after ``since_us``."""

    def members(self) -> Members:
        """The other servers of its cluster."""

    def readiness(self) -> Readiness:
        """What is reported, and for the rest why not and what to switch on."""

    def end_session(self, session: int, user: str) -> bool:
        """End a session of a user and roll back what it has open; False, or Refused, where there is none by that number of that user."""

    def close(self) -> None:
        """Close the connection; the probe is not used again."""


class RemembersPast(Probe, Protocol):
    """A probe with the ability ``history``: rows of a past span, columns as in docs/probe-protocol.md."""

    def history(self, kind: HistoryKind, since_us: int, until_us: int) -> pl.DataFrame:
        """What was recorded from ``since_us`` to before ``until_us``, with the columns of docs/probe-protocol.md."""


@runtime_checkable
class KnowsPlanner(Protocol):
    """A probe that can tell what its server's planner knows."""

    def planner_facts(self, keep_values: bool) -> PlannerFacts:
        """From the catalogs alone; ``keep_values``: with the values inside statistics as they are."""


@runtime_checkable
class CountsConditions(Protocol):
    """A probe that can count how many rows of a table fit a condition."""

    def condition_totals(self, source: str, condition: str, bytes_: float) -> dict[str, float]:
        """Over some pages of the table, drawn at random, read-only and for a short time. ``source`` is the table as a statement has it,
        ``bytes_`` its size. Gives what ``core.sql.selectivity.PageTotals`` takes; a ProbeError says why it cannot be counted.
        """


@runtime_checkable
class TracesPages(Protocol):
    """A probe that can tell, with the ability ``page_trace``, which pages its server is asked for."""

    def page_trace(self, asks: int) -> pl.DataFrame:
        """So many, one after the other: ``object`` and ``page`` of 8 KiB."""


@runtime_checkable
class LooksAtCache(Protocol):
    """A probe that can tell, with the ability ``cached_pages``, what its server's cache holds."""

    def cached_pages(self) -> pl.DataFrame:
        """One look, a row a table or index: ``object`` (empty for free pages), ``held`` and in all ``pages`` of 8 KiB, and requests that were
        found (``hits``) and not (``reads``) so far.
        """


@runtime_checkable
class PinsPlans(Protocol):
    """A probe whose server can, with the ability ``pins``, keep a plan for a statement."""

    def pins(self) -> Pins:
        """Those in force."""

    def pin(self, request: PinRequest) -> Done:
        """Pin a plan, or take the pin of a statement back; Refused where the server knows no such statement or plan."""
