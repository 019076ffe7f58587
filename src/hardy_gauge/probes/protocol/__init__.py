"""The probe protocol, version 2: what a probe can answer about one database server.

The same schemas serve in-process probes and, as JSON over HTTP, every other one. Times are UTC
microseconds as integers, durations seconds, sizes bytes. Counters only ever grow until the server
restarts; ``started_at_us`` differs from one life of the server to the next.

This module imports nothing of ours but the errors, so that a server's side can speak the protocol alone.
"""

from hardy_gauge.errors import NeverAsked, ProbeError, Refused, Unsupported
from hardy_gauge.probes.protocol.base import PROTOCOL_VERSION, Message
from hardy_gauge.probes.protocol.changes import Done, SettingChange, VolumeGrowth
from hardy_gauge.probes.protocol.objects import IndexCounters, Objects, Sequence, TableCounters
from hardy_gauge.probes.protocol.pins import Pin, PinRequest, Pins
from hardy_gauge.probes.protocol.plans import Explained, ExplainRequest, PlannerFacts, Step
from hardy_gauge.probes.protocol.plays import Arrival, HistoryKind, PlayRequest, PlaySecond, PlayState, PlayStatement
from hardy_gauge.probes.protocol.probe import (
    CountsConditions,
    KnowsPlanner,
    LooksAtCache,
    PinsPlans,
    Probe,
    RemembersPast,
    TracesPages,
)
from hardy_gauge.probes.protocol.state import (
    Column,
    IndexFacts,
    IndexSpec,
    LogMessage,
    LogMessages,
    Schema,
    Settings,
    SettingValue,
    Table,
)
from hardy_gauge.probes.protocol.who import Ability, Host, Identity, Member, Members, Readiness, Report, Volume
from hardy_gauge.probes.protocol.work import (
    ConnectionGroup,
    Counters,
    ExecutionRecord,
    Executions,
    Holder,
    Session,
    Sessions,
    StatementCounter,
    StatementCounters,
)

__all__ = [
    "PROTOCOL_VERSION",
    "Ability",
    "Arrival",
    "Column",
    "ConnectionGroup",
    "Counters",
    "CountsConditions",
    "Done",
    "ExecutionRecord",
    "Executions",
    "ExplainRequest",
    "Explained",
    "HistoryKind",
    "Holder",
    "Host",
    "Identity",
    "IndexCounters",
    "IndexFacts",
    "IndexSpec",
    "KnowsPlanner",
    "LogMessage",
    "LogMessages",
    "LooksAtCache",
    "Member",
    "Members",
    "Message",
    "NeverAsked",
    "Objects",
    "Pin",
    "PinRequest",
    "Pins",
    "PinsPlans",
    "PlannerFacts",
    "PlayRequest",
    "PlaySecond",
    "PlayState",
    "PlayStatement",
    "Probe",
    "ProbeError",
    "Readiness",
    "Refused",
    "RemembersPast",
    "Report",
    "Schema",
    "Sequence",
    "Session",
    "Sessions",
    "SettingChange",
    "SettingValue",
    "Settings",
    "StatementCounter",
    "StatementCounters",
    "Step",
    "Table",
    "TableCounters",
    "TracesPages",
    "Unsupported",
    "Volume",
    "VolumeGrowth",
]
