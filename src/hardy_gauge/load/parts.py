"""The parts of a trial's file: goal, target, workload, arms, and what a kind is given."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, ValidationInfo, model_validator

from hardy_gauge.core.figures.units import PerSecond, Seconds, Share
from hardy_gauge.core.trials.figures import Metric
from hardy_gauge.core.trials.verdict import higher_is_better
from hardy_gauge.input_document import InputDocument
from hardy_gauge.lab.made.fill import MOST_ROWS
from hardy_gauge.load.pacing import Pace
from hardy_gauge.load.standard.maker import StandardSet, description, statements_at
from hardy_gauge.load.standard.size import scale_of
from hardy_gauge.probes.protocol import Arrival, IndexSpec

Value = float | int | str | bool
STANDARD_SCALE = 0.1  # of a standard set's data where none is given


class Part(InputDocument):
    """A part of the document."""


class GoalSpec(Part):
    """``at_most`` for durations, ``at_least`` for throughput; of the statement with this number, or of all."""

    metric: Metric
    at_most: Annotated[Seconds, Field(gt=0)] | None = None
    at_least: Annotated[PerSecond, Field(gt=0)] | None = None
    statement: int | None = Field(None, ge=0, description="number of the statement in the workload, from 0")

    @model_validator(mode="after")
    def _fits(self) -> GoalSpec:
        if higher_is_better(self.metric) and (self.at_least is None or self.at_most is not None):
            raise ValueError("a goal of throughput needs at_least, such as '900 /s', and no at_most")
        if not higher_is_better(self.metric) and (self.at_most is None or self.at_least is not None):
            raise ValueError(f"a goal of {self.metric} needs at_most, such as '50 ms', and no at_least")
        return self

    @property
    def value(self) -> float:
        return float(self.at_least if self.at_most is None else self.at_most)  # type: ignore[arg-type]


class GuardrailSpec(Part):
    metric: Metric
    worsen_at_most: Annotated[Share, Field(ge=0, le=10)]


class ParameterSpec(Part):
    """Whole numbers from ``low`` to ``high``, or one of ``values``, each as often as it stands there, or values that a ``column`` has by the
    statistics of the PostgreSQL where it is played ("loan.patron"; they are looked up at the start and kept nowhere). ``skew`` 0 is uniform,
    towards 1 the low numbers, or the first values, are more frequent.
    """

    low: int | None = None
    high: int | None = None
    values: list[int | float | str | None] = Field(default_factory=list, max_length=10_000)
    column: str | None = Field(
        None, pattern=r"^[^.]+(\.[^.]+){1,2}$", description="table.column or schema.table.column"
    )
    skew: float = Field(0, ge=0, lt=1)
    together: bool = Field(False, description="the value at the same place of its list as the other parameters'")

    @model_validator(mode="after")
    def _one_kind(self) -> ParameterSpec:
        ranged = self.low is not None or self.high is not None
        if bool(self.values) + ranged + (self.column is not None) != 1:
            raise ValueError("low and high, or values, or a column, were expected")
        if ranged and (self.low is None or self.high is None or self.high < self.low):
            raise ValueError("high must not be below low")
        return self


class ValuesOf(Part):
    """Executions that were recorded with their values: of a server of the fleet, and a statement by its fingerprint."""

    server: str
    statement: str


class CallSpec(Part):
    """A statement of a transaction; ``parameters`` are places of the transaction's values, from 0, in the order of the statement's own."""

    sql: str = Field(min_length=1)
    parameters: list[int] = Field(default_factory=list)


class WorkloadStatement(Part):
    """A statement, or a transaction of several ``steps`` that is committed as a whole; figures are those of the whole then."""

    sql: str = ""
    steps: list[CallSpec] = Field(default_factory=list, max_length=50)
    name: str = Field("", max_length=60)
    weight: float = Field(1, gt=0)
    parameters: list[ParameterSpec] = Field(default_factory=list)
    values_of: ValuesOf | None = Field(
        None,
        description="in place of parameters: their values, drawn together, looked up at the start and kept nowhere else",
    )
    least_share: Annotated[Share, Field(ge=0, le=1)] = Field(
        0, description="of all executions at least, or the run is not the mix that was stated"
    )

    @model_validator(mode="after")
    def _one(self) -> WorkloadStatement:
        joined = ";\n".join(one.sql for one in self.steps)
        if not self.steps and not self.sql.strip():
            raise ValueError("sql: a statement was expected, or steps")
        if self.steps and self.sql not in ("", joined):
            raise ValueError("sql: a transaction of steps has no other text; leave it out")
        if self.values_of is not None and (self.steps or self.parameters):
            raise ValueError("values_of: it is for one statement whose parameters are left out")
        counts = {len(one.values) for one in self.parameters if one.together}
        if counts and (len(counts) > 1 or 0 in counts or not all(one.together for one in self.parameters)):
            raise ValueError("parameters: those together were expected to be all, with as many values each")
        if any(not 0 <= place < len(self.parameters) for one in self.steps for place in one.parameters):
            raise ValueError(f"steps: places of parameters from 0 to {len(self.parameters) - 1} were expected")
        self.sql = self.sql or joined
        return self

    def calls(self) -> list[tuple[str, list[int]]]:
        """What is sent to the server: every text with the places of its values."""
        if self.steps:
            return [(one.sql, one.parameters) for one in self.steps]
        return [(self.sql, list(range(len(self.parameters))))]

    def document(self) -> dict[str, Any]:
        """As the workers take it."""
        return {
            "calls": self.calls(), "weight": self.weight, "parameters": [one.model_dump() for one in self.parameters],
        }  # fmt: skip


class CheckSpec(Part):
    """Of the data after every run: a query that gives no row where all is well."""

    name: str = Field(min_length=1, max_length=80)
    sql: str = Field(min_length=1)


class ArrivalSpec(Part):
    """``closed``: ``workers`` that pause ``think`` between executions; ``open``: ``rate`` arrivals a second at random;
    ``recorded``: an arrival at each of ``times`` after the start. Of these two ``workers`` are the sessions of a real server that serve them,
    and an execution lasts from when it was due.

    Workers take statements by ``weight``, in the ``file``'s order, or each one its ``own``.
    """

    kind: Literal["closed", "open", "recorded"] = "closed"
    workers: int | None = Field(None, ge=1, le=500)
    rate: Annotated[PerSecond, Field(gt=0)] | None = None
    think: Annotated[Seconds, Field(ge=0)] = 0.0
    think_kind: Literal["exponential", "fixed", "uniform"] = "exponential"
    think_most: Annotated[Seconds, Field(ge=0)] | None = Field(None, description="longest uniform pause")
    times: list[Annotated[Seconds, Field(ge=0)]] = Field(default_factory=list, max_length=1_000_000)
    order: Literal["weight", "file", "own"] = "weight"
    once: bool = Field(False, description="each worker takes every statement once, in the file's order, and ends")

    @model_validator(mode="after")
    def _complete(self) -> ArrivalSpec:
        if self.kind == "closed" and self.workers is None:
            raise ValueError("closed arrivals need workers")
        if self.kind == "open" and self.rate is None:
            raise ValueError("open arrivals need a rate, such as '400 /s'")
        if self.kind == "recorded" and (not self.times or self.times != sorted(self.times)):
            raise ValueError("recorded arrivals need times after the start in order, such as [0 s, 120 ms, 1.4 s]")
        if (self.think_kind == "uniform") != (self.think_most is not None):
            raise ValueError("a uniform pause needs think_most, its longest, and no other kind has one")
        if self.think_most is not None and self.think_most < self.think:
            raise ValueError("think_most, the longest pause, must not be below think, the shortest")
        if self.kind != "closed" and self.order != "weight":
            raise ValueError(f"order: {self.order} is for the workers of closed arrivals")
        if self.once and self.order != "file":
            raise ValueError("once: statements are taken once in the file's order; write order: file")
        return self

    def protocol(self) -> Arrival:
        return Arrival(
            kind=self.kind, rate_per_s=self.rate, workers=self.workers, think_s=self.think, think=self.think_kind,
            think_most_s=self.think_most or 0.0, times_s=self.times, order=self.order,
        )  # fmt: skip

    def pace(self) -> Pace:
        """How each worker of closed arrivals goes on."""
        return Pace(self.think, self.think_kind, self.think_most, self.order, self.once)


class Workload(Part):
    """``standard``: the statements and checks of a shipped set."""

    standard: StandardSet | None = None
    scale: float | None = Field(
        None, gt=0, description="of the standard set's data; the target's where it is made for it"
    )
    statements: list[WorkloadStatement] = Field(default_factory=list)
    checks: list[CheckSpec] = Field(default_factory=list, max_length=50)
    arrival: ArrivalSpec = ArrivalSpec(workers=1, order="file")

    @model_validator(mode="after")
    def _some(self) -> Workload:
        if self.standard is not None:
            at = statements_at(self.standard, self.scale or STANDARD_SCALE)
            shipped = [WorkloadStatement.model_validate(one) for one in at]
            if self.statements and self.statements != shipped:
                raise ValueError("statements: a standard set brings its own; leave them out")
            self.statements = shipped
            self.checks = self.checks or [CheckSpec.model_validate(one) for one in description(self.standard).checks]
        if not self.statements:
            raise ValueError("statements: at least one is needed, or a standard set")
        return self


def _scale_here(wanted: Any, about: ValidationInfo) -> Any:
    return scale_of(about.data["set"], wanted) if "set" in about.data else wanted


class StandardData(Part):
    """Data of a standard set: at ``scale`` 1 a million rows of facts, the same for a seed. ``larger than memory`` is the scale that is so on
    this machine.
    """

    set: StandardSet
    scale: Annotated[float, BeforeValidator(_scale_here)] = Field(STANDARD_SCALE, ge=0.0001, le=10_000)
    seed: int = Field(1, ge=0)


class MadePostgres(Part):
    """A PostgreSQL that is made for the trial, and what it is filled with: a shipped ``sample``, the data of a ``standard`` set, a ``folder``
    of SQL files that are run in the order of their names and of CSV files that go into the tables of their names, a ``dump`` of a database, or the objects of a ``server`` of the fleet or of a ``bundle`` with at most about so
    many ``rows`` made from its statistics. ``settings`` hold for all arms.
    """

    sample: Literal["library"] | None = None
    folder: Path | None = None
    dump: Path | None = Field(None, description="as SQL, or in the custom format of the engine's dump program")
    standard: StandardData | None = None
    server: str | None = Field(None, description="of the fleet, or of the bundle where it holds several")
    bundle: Path | None = None
    rows: int = Field(MOST_ROWS, ge=1, le=5_000_000)
    major: int | None = Field(
        None, ge=13, description="major version of the programs; the newest found where none is given"
    )
    settings: dict[str, Value] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _one(self) -> MadePostgres:
        if (
            sum(
                one is not None
                for one in (self.sample, self.folder, self.dump, self.standard, self.bundle or self.server)
            )
            != 1
        ):
            raise ValueError("exactly one of sample, folder, dump, standard, server, bundle was expected")
        return self


class Target(Part):
    """One of: a ``server`` of the fleet, a SQLite ``file``, a shipped SQLite ``sample``, or a PostgreSQL that is made for the trial.

    The server plays workloads itself, or is a PostgreSQL that is reached with an ``account`` of the keyring (its own where none is named);
    ``player`` plays the statements where the account may do more than they should. ``confirm`` repeats the name of a server that is not
    labelled lab. ``restart`` is a command of this machine that restarts it, for settings that want it. With ``keep_writes`` statements may
    write, and what they write stays.
    """

    server: str | None = None
    account: str | None = None
    player: str | None = None
    database: str | None = Field(None, min_length=1, description="the address's where none is named")
    confirm: str | None = None
    restart: str | None = Field(None, min_length=1)
    keep_writes: bool = False
    address: str | None = Field(None, description="address of a probe, when no fleet is recorded")
    file: Path | None = None
    sample: Literal["library"] | None = None
    standard: StandardData | None = Field(None, description="a SQLite file with the data of a standard set")
    postgresql: MadePostgres | None = None

    @model_validator(mode="after")
    def _one(self) -> Target:
        given = (self.server, self.address, self.file, self.sample, self.standard, self.postgresql)
        if sum(one is not None for one in given) != 1:
            raise ValueError("exactly one of server, address, file, sample, standard, postgresql was expected")
        if self.server is None:
            for name in ("account", "player", "database", "confirm", "restart"):
                if getattr(self, name) is not None:
                    raise ValueError(f"{name}: it belongs to a server of the fleet")
        return self


class ArmSpec(Part):
    name: str = Field(min_length=1, max_length=40)
    settings: dict[str, Value] = Field(default_factory=dict)
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)
    workers: int | None = Field(None, ge=1, le=500, description="of a scaling trial: as many workers as that")

    def changes(self) -> int:
        return len(self.settings) + len(self.add_indexes) + len(self.drop_indexes)


class RunSpec(Part):
    seconds: Annotated[Seconds, Field(ge=1, le=3600)] = 20.0
    blocks: int = Field(5, ge=2, le=50)
    seed: int = 1
    cold: bool = Field(False, description="begin every run with empty caches")


class ExpectedSpec(Part):
    """What advice expects of the first candidate: time per call of the goal's statement ÷ that of the control, with its range, and from what that
    was concluded.
    """

    ratio: float = Field(ge=0, allow_inf_nan=False)
    low: float = Field(ge=0, allow_inf_nan=False)
    high: float = Field(ge=0, allow_inf_nan=False)
    source: str = ""

    @model_validator(mode="after")
    def _range(self) -> ExpectedSpec:
        if not self.low <= self.ratio <= self.high:
            raise ValueError("ratio: it lies between low and high")
        return self


class SweepSpec(Part):
    """One setting and the values that are tried, from the first on."""

    setting: str = Field(min_length=1)
    values: list[Value] = Field(min_length=3, max_length=12)
