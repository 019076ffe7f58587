"""The probe itself, and what can go wrong with it."""

from __future__ import annotations

from typing import Protocol

import polars as pl

from hardy_gauge.probes.protocol.plans import Explained, ExplainRequest
from hardy_gauge.probes.protocol.plays import HistoryKind
from hardy_gauge.probes.protocol.state import LogMessages, Schema, Settings
from hardy_gauge.probes.protocol.who import Host, Identity, Members, Readiness
from hardy_gauge.probes.protocol.work import Counters, Executions, Sessions, StatementCounters


class Probe(Protocol):
    """Reading one server. A call that the server has no ability for raises ``Unsupported``."""

    def identity(self) -> Identity: ...
    def host(self) -> Host: ...
    def counters(self) -> Counters: ...
    def statements(self) -> StatementCounters: ...
    def sessions(self) -> Sessions: ...
    def executions(self, since_us: int, threshold_s: float, literals: bool = False) -> Executions: ...
    def settings(self) -> Settings: ...
    def schema(self) -> Schema: ...
    def explain(self, request: ExplainRequest) -> Explained: ...
    def plan(self, plan_key: str) -> Explained: ...
    def messages(self, since_us: int) -> LogMessages: ...
    def members(self) -> Members: ...
    def readiness(self) -> Readiness: ...
    def close(self) -> None: ...


class RemembersPast(Probe, Protocol):
    """A probe with the ability ``history``: rows of a past span, columns as in docs/probe-protocol.md."""

    def history(self, kind: HistoryKind, since_us: int, until_us: int) -> pl.DataFrame: ...


class ProbeError(Exception):
    """The server did not answer, or answered something that is not the protocol."""


class Unsupported(ProbeError):
    """The server does not report what was asked."""


class Refused(ProbeError):
    """The server understood the request and refuses it; ``field`` names what is wrong with it."""

    def __init__(self, detail: str, field: str = "") -> None:
        super().__init__(detail)
        self.field = field
