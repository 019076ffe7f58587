"""Capture rules: what is recorded of which servers, as people write it in YAML and as the collector follows it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator

from hardy_gauge.core.figures.units import duration, written_duration
from hardy_gauge.core.narrative.setup import rule_words
from hardy_gauge.input_document import InputDocument
from hardy_gauge.probes.protocol import ExecutionRecord, Holder, Session

FLEET = "fleet"


def _seconds(value: object) -> object:
    """A number is seconds; a text carries its unit."""
    return duration(value) if isinstance(value, str) else value


def _or_off(value: object) -> object:
    return None if value in ("off", False) else _seconds(value)


Seconds = Annotated[float, BeforeValidator(_seconds)]
SecondsOrOff = Annotated[float | None, BeforeValidator(_or_off)]
Mode = Literal["everything", "weighty", "reading"]
Literals = Literal["replaced", "kept"]


class Part(InputDocument):
    """A part of the document."""


class Only(Part):
    """Sessions and executions that are recorded; empty lists are all. ``text`` and ``object`` are parts of the SQL."""

    users: list[str] = Field(default_factory=list, max_length=100)
    services: list[str] = Field(default_factory=list, max_length=100)
    databases: list[str] = Field(default_factory=list, max_length=100)
    sessions: list[int] = Field(default_factory=list, max_length=100)
    text: str = Field("", max_length=500)
    object: str = Field("", max_length=200, description="a table, view or procedure that the text names")

    def takes(self, row: Session | Holder | ExecutionRecord, text: str) -> bool:
        """Whether a session or execution is recorded; ``text`` is of its statement, empty where not known."""
        named = ((self.users, row.user), (self.services, row.service), (self.databases, row.database))
        if any(wanted and value not in wanted for wanted, value in named):
            return False
        if self.sessions and (isinstance(row, ExecutionRecord) or row.session not in self.sessions):
            return False
        lower = text.lower()
        return all(part.lower() in lower for part in (self.text, self.object) if part)

    @property
    def reads_texts(self) -> bool:
        return bool(self.text or self.object)


class CaptureRule(Part):
    """What is recorded of the servers that it applies to. The first rule in order that fits a server is its rule.

    ``mode``: everything; weighty, only statements that take at least ``weighty_from`` a call; or reading, nothing new.
    """

    name: str = Field("everything", min_length=1, max_length=80)
    applies_to: list[str] = Field(
        default_factory=lambda: [FLEET], min_length=1, max_length=500,
        description="'fleet', or names of clusters and servers, or labels",
    )  # fmt: skip
    mode: Mode = "everything"
    sample: SecondsOrOff = Field(1.0, description="how often sessions are looked at, from 1 s to 60 s, or off")
    counters: Seconds = Field(60.0, ge=10, le=3600)
    threshold: SecondsOrOff = Field(0.1, description="executions that take at least this long, or off")
    weighty_from: Seconds = Field(0.01, ge=0, le=3600)
    waits: bool = True
    every_nth_session: int = Field(1, ge=1, le=1000, description="of sessions looked at one in so many is kept")
    literals: Literals = Field("replaced", description="kept: executions are stored with the values in their text")
    plans: int = Field(200, ge=0, le=200, description="most plans kept of one statement")
    only: Only = Field(default_factory=Only)
    until: datetime | None = Field(None, description="the rule ends then, and the next that fits takes over")

    def words(self) -> str:
        """What it records, in a few words."""
        return rule_words(
            self.mode, self.sample, self.every_nth_session, self.threshold, self.weighty_from, self.literals == "kept",
            self.until,
        )  # fmt: skip

    def left_out(self) -> str:
        """What it leaves out of what is recorded, in words; empty when nothing."""
        left = []
        if self.mode == "weighty":
            left.append(f"only statements of {self.weighty_from * 1e3:g} ms a call or more")
        if self.only != Only():
            chosen = [name for name, value in self.only.model_dump().items() if value]
            left.append(f"only some {' and '.join(chosen)}")
        if self.every_nth_session > 1:
            left.append(f"one session in {self.every_nth_session}, which stands for all")
        if not self.waits:
            left.append("no waits")
        return f"rule {self.name}: {', '.join(left)}" if left else ""

    def follows(self, session: int) -> bool:
        """Whether a session is among one in ``every_nth_session``: by a hash (Knuth, The Art of Computer Programming 3,
        6.4, multiplicative), so that numbers given out in steps are thinned alike, and always the same answer.
        """
        return (session * 2_654_435_761 % 2**32) * self.every_nth_session < 2**32

    @field_validator("sample")
    @classmethod
    def _whole_seconds(cls, value: float | None) -> float | None:
        if value is not None and (value != int(value) or not 1 <= value <= 60):
            raise ValueError("whole seconds from 1 s to 60 s, or off, were expected")
        return value

    @field_validator("threshold")
    @classmethod
    def _not_below_zero(cls, value: float | None) -> float | None:
        if value is not None and not 0 <= value <= 86400:
            raise ValueError("a duration of at most a day, or off, was expected")
        return value

    @field_validator("until")
    @classmethod
    def _has_zone(cls, value: datetime | None) -> datetime | None:
        if value is not None and value.tzinfo is None:
            raise ValueError("a moment with its zone such as 2026-03-02T09:00:00Z was expected")
        return value

    def fits(self, server: str, cluster: str, labels: Sequence[str], now_us: int) -> bool:
        over = self.until is not None and self.until.timestamp() * 1e6 <= now_us
        return not over and bool({FLEET, server, cluster, *labels} & set(self.applies_to))

    def as_document(self) -> dict[str, object]:
        """As it is written in a file: durations with units, and only what is not as usual."""
        found = self.model_dump(exclude_defaults=True, mode="json")
        for name in ("sample", "counters", "threshold", "weighty_from"):
            if name in found:
                found[name] = "off" if found[name] is None else written_duration(found[name])
        return {"name": self.name, "applies_to": self.applies_to} | found


# Where to start from, by kind of work; common practice: thresholds start high and come down.
STARTING_SETS: dict[str, CaptureRule] = {
    "operational": CaptureRule(name="operational"),
    "reporting": CaptureRule(name="reporting", sample=5, threshold=10),
    "development": CaptureRule(name="development", threshold=0.01),
    "test": CaptureRule(name="test", sample=1, threshold=0.001, counters=10),
}


def rule_for(
    rules: Sequence[CaptureRule], server: str, cluster: str, labels: Sequence[str], now_us: int
) -> CaptureRule:
    """The first rule that fits; everything at the usual intervals where none does."""
    return next((rule for rule in rules if rule.fits(server, cluster, labels, now_us)), CaptureRule())
