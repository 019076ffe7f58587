"""What every trouble is: a cause on some servers for some time, with a size, that changes their conditions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from practice_fleet import growth_steps
from practice_fleet.actors import FOR_GOOD_S
from practice_fleet.conditions import Conditions
from practice_fleet.physics.locks import Hold
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import Part
from practice_fleet.scenario.work import StatementSpec

MINUTE_US = 60_000_000
HOUR_US = 60 * MINUTE_US
Severity = Literal["info", "warning", "error"]


@dataclass(frozen=True)
class Said:
    """One log message of the server, ``after_s`` seconds after the trouble began."""

    after_s: float
    severity: Severity
    text: str
    change: Literal["schema", "setting", "software"] | None = None
    object: str | None = None


class BaseTrouble(Part):
    """Times are minutes before the fleet's first start; a negative end lies after it, none is never."""

    acts_on: ClassVar[frozenset[str]] = frozenset()  # roles of the servers on which it does something; empty: all

    servers: list[str] = Field(min_length=1, description="servers it happens on")
    start_minutes_ago: float = Field(description="when it begins, in minutes before the fleet's first start")
    end_minutes_ago: float | None = Field(None, description="when it ends; left out: it goes on")

    @model_validator(mode="after")
    def _ends_after_it_starts(self) -> BaseTrouble:
        if self.end_minutes_ago is not None and self.end_minutes_ago >= self.start_minutes_ago:
            raise ValueError(
                f"end_minutes_ago is {self.end_minutes_ago:g}; it must be less than start_minutes_ago, which is {self.start_minutes_ago:g}"
            )
        return self

    def start_us(self, anchor_us: int) -> int:
        return int(anchor_us - self.start_minutes_ago * MINUTE_US)

    def end_us(self, anchor_us: int) -> int | None:
        return None if self.end_minutes_ago is None else int(anchor_us - self.end_minutes_ago * MINUTE_US)

    @property
    def runs_for_s(self) -> float | None:
        """Seconds from beginning to end; none when it goes on."""
        return None if self.end_minutes_ago is None else (self.start_minutes_ago - self.end_minutes_ago) * 60

    @property
    def whole_time(self) -> Hold:
        """For a session that is there from beginning to end; it is gone a second before."""
        lasts_s = FOR_GOOD_S if self.runs_for_s is None else self.runs_for_s - 1
        return Hold(lasts_s, 2 * FOR_GOOD_S)

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        end = self.end_us(anchor_us)
        return at_us >= self.start_us(anchor_us) and (end is None or at_us < end)

    def stage(self, at_us: int, anchor_us: int) -> int:
        """How far it has gone, in steps, where its effect grows; others have one."""
        return growth_steps.step_of(at_us - self.start_us(anchor_us)) if self.grows else 0

    @property
    def grows(self) -> bool:
        """Whether what it changes grows with time; levels grow by themselves."""
        return False

    @property
    def restarts(self) -> bool:
        """Whether what it changes takes effect, and ends, with a restart of the server."""
        return False

    def restart_moments(self, anchor_us: int) -> list[int]:
        """When the server is restarted for it."""
        ends = self.end_us(anchor_us)
        return [at for at in (self.start_us(anchor_us), ends) if at is not None] if self.restarts else []

    @property
    def restarts_warm(self) -> float | None:
        """Share of its cache that it reads back in then; none: as its setting says."""
        return None

    def hours(self, at_us: int, anchor_us: int) -> float:
        """Hours that count for what it changes: those to the middle of the step, so that a state holds for a while."""
        return growth_steps.hours_of(self.stage(at_us, anchor_us)) if self.grows else 0.0

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        """When it changes what it does, within the span."""
        start, end = self.start_us(anchor_us), self.end_us(anchor_us)
        times = [start] if end is None else [start, end]
        if self.grows:
            times += growth_steps.edges(start, since_us, min(until_us, end or until_us))
        return times

    def check(self, database: DatabaseSpec) -> None:
        """ValueError when it names what the server does not have."""

    def idle_on(self, role: str, host: HostSpec) -> str | None:
        """Why it does nothing on a server with this role and host; none when it acts."""
        if self.acts_on and role not in self.acts_on:
            return f"it acts on a {' or '.join(sorted(self.acts_on))}"
        return None

    def change(self, now: Conditions, hours: float) -> None:
        """Change the conditions of a server on which it has been for ``hours``."""

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        """Statements that it adds to those a server runs."""
        return {}

    def levels(self, hours: float) -> dict[str, float]:
        """What it adds to level figures such as ``replica_lag_s`` after ``hours``."""
        return {}

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        """What it added to the data volume after ``hours``."""
        return 0.0

    def says(self, server: str) -> list[Said]:
        """The log messages it leaves on a server."""
        return []


def known(name: str, there: dict[str, object] | set[str], what: str) -> None:
    """ValueError when ``name`` is not there, naming what is."""
    if name not in there:
        raise ValueError(f"no {what} '{name}'; there are {', '.join(sorted(there))}")
