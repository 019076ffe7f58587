"""A trial as its file states it: question, goal, target, workload, arms. Checked whole before anything runs."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from hardy_gauge.core.figures.units import PerSecond, Seconds, Share
from hardy_gauge.core.trials.figures import Metric
from hardy_gauge.core.trials.verdict import higher_is_better
from hardy_gauge.errors import InvalidInput
from hardy_gauge.input_document import InputDocument
from hardy_gauge.load.pacing import Pace
from hardy_gauge.probes.protocol import Arrival, IndexSpec
from hardy_gauge.yaml_text import NotYaml, read_yaml

Value = float | int | str | bool
Kind = Literal["compare", "as-needed", "null", "sweep", "factorial", "scaling"]
NAMED = re.compile(r"([\w.]+): ")
QUICK_S, QUICK_BLOCKS, LEAST_BLOCKS = 3.0, 3, 4


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
    """Whole numbers from ``low`` to ``high``; ``skew`` 0 is uniform, towards 1 the low numbers are more frequent."""

    low: int
    high: int
    skew: float = Field(0, ge=0, lt=1)

    @model_validator(mode="after")
    def _ordered(self) -> ParameterSpec:
        if self.high < self.low:
            raise ValueError("high must not be below low")
        return self


class WorkloadStatement(Part):
    sql: str = Field(min_length=1)
    weight: float = Field(1, gt=0)
    parameters: list[ParameterSpec] = Field(default_factory=list)


class ArrivalSpec(Part):
    """``closed``: ``workers`` that pause ``think`` between executions; ``open``: ``rate`` arrivals a second;
    ``recorded``: an arrival at each of ``times`` after the start.

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
        return self

    def protocol(self) -> Arrival:
        return Arrival(
            kind=self.kind, rate_per_s=self.rate, workers=self.workers, think_s=self.think, think=self.think_kind,
            think_most_s=self.think_most or 0.0, times_s=self.times, order=self.order,
        )  # fmt: skip

    def pace(self) -> Pace:
        """How each worker of closed arrivals goes on."""
        return Pace(self.think, self.think_kind, self.think_most, self.order)


class Workload(Part):
    statements: list[WorkloadStatement] = Field(min_length=1)
    arrival: ArrivalSpec


class MadePostgres(Part):
    """A PostgreSQL that is made for the trial, and what it is filled with: a shipped ``sample``, or a ``folder`` of SQL files that are run
    in the order of their names. ``settings`` hold for all arms.
    """

    sample: Literal["library"] | None = None
    folder: Path | None = None
    major: int | None = Field(
        None, ge=13, description="major version of the programs; the newest found where none is given"
    )
    settings: dict[str, Value] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _one(self) -> MadePostgres:
        if (self.sample is None) == (self.folder is None):
            raise ValueError("exactly one of sample, folder was expected")
        return self


class Target(Part):
    """One of: a ``server`` of the fleet that can play workloads, a SQLite ``file``, a shipped SQLite ``sample``, or a PostgreSQL that is
    made for the trial.
    """

    server: str | None = None
    address: str | None = Field(None, description="address of a probe, when no fleet is recorded")
    file: Path | None = None
    sample: Literal["library"] | None = None
    postgresql: MadePostgres | None = None

    @model_validator(mode="after")
    def _one(self) -> Target:
        if sum(x is not None for x in (self.server, self.address, self.file, self.sample, self.postgresql)) != 1:
            raise ValueError("exactly one of server, address, file, sample, postgresql was expected")
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


class SweepSpec(Part):
    """One setting and the values that are tried, from the first on."""

    setting: str = Field(min_length=1)
    values: list[Value] = Field(min_length=3, max_length=12)


class TrialDesign(Part):
    """``kind`` says what is asked: is a candidate better (compare; as-needed: with no more blocks than the answer wants, and
    ``run.blocks`` as the most), does this bench see differences where there are none (null), where is
    the sweet spot of a setting (sweep), do changes help or hide each other (factorial), how many workers until more hurt (scaling). Only
    the first two state their arms; the others are given what makes them.
    """

    kind: Kind = "compare"
    title: str = Field(min_length=1)
    question: str = ""
    goal: GoalSpec
    guardrails: list[GuardrailSpec] = Field(default_factory=list)
    target: Target
    workload: Workload
    arms: list[ArmSpec] = Field(default_factory=list, max_length=16)
    sweep: SweepSpec | None = None
    factors: list[ArmSpec] = Field(
        default_factory=list, max_length=4, description="of a factorial trial: two to four changes"
    )
    workers: list[Annotated[int, Field(ge=1, le=500)]] = Field(
        default_factory=list, max_length=12, description="of a scaling trial"
    )
    precise: Annotated[Share, Field(gt=0, le=1)] = Field(
        0.05, description="of as-needed: an interval no wider than this to either side is enough"
    )
    run: RunSpec = RunSpec()

    @model_validator(mode="after")
    def _arms_of_kind(self) -> TrialDesign:
        """The arms that a kind is made of, where they were not stated."""
        given = {"sweep": self.sweep is not None, "factors": bool(self.factors), "workers": bool(self.workers)}
        wanted = {"sweep": "sweep", "factorial": "factors", "scaling": "workers"}.get(self.kind, "")
        for name, there in given.items():
            if there and name != wanted:
                raise ValueError(f"{name}: a trial of kind {self.kind} has none")
        if wanted and not given[wanted]:
            raise ValueError(f"{wanted}: a trial of kind {self.kind} needs it")
        if self.kind not in ("compare", "as-needed") and not self.arms:
            self.arms = list(self._made_arms())
        if self.kind == "as-needed" and (len(self.arms) != 2 or self.run.blocks < LEAST_BLOCKS):
            raise ValueError(
                f"arms: a control and one candidate, and run.blocks of at least {LEAST_BLOCKS}, are needed to look after each block"
            )
        if len(self.arms) < 2:
            raise ValueError("arms: a control and at least one candidate are needed")
        return self

    def _made_arms(self) -> Iterator[ArmSpec]:
        if self.kind == "null":
            yield from (ArmSpec(name="control"), ArmSpec(name="control again"))
        elif self.sweep is not None:
            yield from (
                ArmSpec(name=f"{self.sweep.setting} = {value}"[:40], settings={self.sweep.setting: value})
                for value in self.sweep.values
            )
        elif self.kind == "scaling":
            if len(set(self.workers)) < 3:
                raise ValueError("workers: three numbers or more are needed to fit a curve")
            yield from (ArmSpec(name=f"{number} workers", workers=number) for number in sorted(set(self.workers)))
        elif self.kind == "factorial":
            if len(self.factors) < 2:
                raise ValueError("factors: two to four are needed")
            for number in range(2 ** len(self.factors)):
                on = [factor for place, factor in enumerate(self.factors) if number >> place & 1]
                yield ArmSpec(
                    name=(" and ".join(one.name for one in on) or "none")[:40], settings={k: v for one in on for k, v in one.settings.items()},
                    add_indexes=[index for one in on for index in one.add_indexes], drop_indexes=[name for one in on for name in one.drop_indexes],
                )  # fmt: skip

    @model_validator(mode="after")
    def _consistent(self) -> TrialDesign:
        names = [arm.name for arm in self.arms]
        if len(set(names)) != len(names):
            raise ValueError("arms: every arm needs a name of its own")
        if self.goal.statement is not None and self.goal.statement >= len(self.workload.statements):
            raise ValueError(f"goal.statement: the workload has statements 0 to {len(self.workload.statements) - 1}")
        return self

    def quick(self) -> TrialDesign:
        """The same in a small size: three blocks of short runs, which shows only what is plain."""
        run = self.run.model_copy(
            update={"seconds": min(self.run.seconds, QUICK_S), "blocks": min(self.run.blocks, QUICK_BLOCKS)}
        )
        return self.model_copy(update={"run": run})

    def cautions(self) -> list[str]:
        """What makes the answer harder to read, said before the trial runs."""
        return [
            f"{arm.name} changes {arm.changes()} things at once; two changes can hide each other"
            for arm in self.arms[1:]
            if arm.changes() > 1 and self.kind != "factorial"
        ]


class BadTrial(InvalidInput):
    """A trial that cannot be run; ``field`` names what is wrong."""

    title = "The trial cannot be run as stated"


def read_design(document: Any) -> TrialDesign:
    """A checked design from a decoded document; BadTrial names the first field that is wrong."""
    try:
        return TrialDesign.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"])
        message = first["msg"].removeprefix("Value error, ")
        if not field:  # what is checked of several fields together names the one that is wrong
            named = NAMED.match(message)
            raise BadTrial(message, named[1] if named else "") from error
        raise BadTrial(f"{field}: {message}", field) from error


def read_file(path: Path) -> TrialDesign:
    """A checked design from a YAML file; BadTrial when it cannot be read."""
    try:
        document = read_yaml(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise BadTrial(f"{path}: {error.strerror}", "file") from error
    except (NotYaml, UnicodeDecodeError) as error:
        raise BadTrial(f"{path} is not YAML: {error}", "file") from error
    target = document.get("target") if isinstance(document, dict) else None
    for holder, name in ((target, "file"), (target.get("postgresql") if isinstance(target, dict) else None, "folder")):
        if isinstance(holder, dict) and holder.get(name):
            holder[name] = str(path.parent / str(holder[name]))
    return read_design(document)
