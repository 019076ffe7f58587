"""A trial as its file states it: question, goal, target, workload, arms. Checked whole before anything runs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.figures.units import Share
from hardy_gauge.core.trials.design import STATE_THEIR_ARMS
from hardy_gauge.errors import InvalidInput
from hardy_gauge.load.parts import (
    STANDARD_SCALE,
    ArmSpec,
    ExpectedSpec,
    GoalSpec,
    GuardrailSpec,
    Part,
    RunSpec,
    SweepSpec,
    Target,
    Workload,
)
from hardy_gauge.load.standard.size import scale_of
from hardy_gauge.load.tuner_parts import TunerSpec
from hardy_gauge.yaml_text import NotYaml, read_yaml

Kind = Literal["compare", "as-needed", "null", "sweep", "factorial", "scaling", "steps", "queries", "tuner"]
CONTROL = "control"
START = "start"  # the arm of a trial of steps before its first
NAMED = re.compile(r"([\w.]+): ")
QUICK_S, QUICK_BLOCKS, QUICK_TRIES, LEAST_BLOCKS = 3.0, 3, 6, 4


class TrialDesign(Part):
    """``kind`` says what is asked: is a candidate better (compare; as-needed: with no more blocks than the answer wants, and
    ``run.blocks`` as the most), does this bench see differences where there are none (null), where is
    the sweet spot of a setting (sweep), do changes help or hide each other (factorial), how many workers until more hurt (scaling), what limits now, and what
    next, when one limit after another is lifted while the load runs (steps), how fast is each statement alone, one after the other
    (queries), which values of some settings are best (tuner: the best found is compared with the control at the end, in ``run.blocks``).
    Only the first two and queries state their arms; the others are given what makes them.
    """

    kind: Kind = "compare"
    title: str = Field(min_length=1)
    question: str = ""
    follows: int | None = Field(None, ge=1, description="number of the filed trial that this one came of")
    goal: GoalSpec
    expects: ExpectedSpec | None = None
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
    steps: list[ArmSpec] = Field(
        default_factory=list, max_length=8, description="of a trial of steps: what is changed, one after the other"
    )
    tuner: TunerSpec | None = None
    precise: Annotated[Share, Field(gt=0, le=1)] = Field(
        0.05, description="of as-needed: an interval no wider than this to either side is enough"
    )
    run: RunSpec = RunSpec()

    @model_validator(mode="before")
    @classmethod
    def _scale_of_target(cls, document: Any) -> Any:
        """Statements of a standard set draw their values from as many rows as its data has."""
        target, workload = (
            ({}, {}) if not isinstance(document, dict) else (document.get("target"), document.get("workload"))
        )
        if not isinstance(target, dict) or not isinstance(workload, dict) or not workload.get("standard"):
            return document
        made = target.get("postgresql")
        data = (made if isinstance(made, dict) else target).get("standard")
        if workload.get("scale") is not None or not isinstance(data, dict):
            return document
        scale = scale_of(workload["standard"], data.get("scale", STANDARD_SCALE))
        return document | {"workload": workload | {"scale": scale}}

    @model_validator(mode="after")
    def _arms_of_kind(self) -> TrialDesign:
        """The arms that a kind is made of, where they were not stated."""
        given = {
            "sweep": self.sweep is not None, "factors": bool(self.factors), "workers": bool(self.workers), "steps": bool(self.steps),
            "tuner": self.tuner is not None,
        }  # fmt: skip
        wanted = {
            "sweep": "sweep",
            "factorial": "factors",
            "scaling": "workers",
            "steps": "steps",
            "tuner": "tuner",
        }.get(self.kind, "")
        for name, there in given.items():
            if there and name != wanted:
                raise ValueError(f"{name}: a trial of kind {self.kind} has none")
        if wanted and not given[wanted]:
            raise ValueError(f"{wanted}: a trial of kind {self.kind} needs it")
        if self.kind == "queries":
            self._alone()
        elif self.kind not in STATE_THEIR_ARMS:
            made = list(self._made_arms())
            if self.arms and self.arms != made:
                raise ValueError(f"arms: a trial of kind {self.kind} makes its own; leave them out")
            self.arms = made
        if self.expects is not None and self.kind not in ("compare", "as-needed"):
            raise ValueError("expects: it is said of the first candidate of a comparison")
        if self.kind in ("steps", "scaling") and self.workload.arrival.kind != "closed":
            raise ValueError(f"workload.arrival.kind: a trial of kind {self.kind} needs closed arrivals")
        if self.kind == "as-needed" and (len(self.arms) != 2 or self.run.blocks < LEAST_BLOCKS):
            raise ValueError(
                f"arms: a control and one candidate, and run.blocks of at least {LEAST_BLOCKS}, are needed to look after each block"
            )
        if len(self.arms) < 2 and self.kind not in ("queries", "tuner"):
            raise ValueError("arms: a control and at least one candidate are needed")
        return self

    def _alone(self) -> None:
        """Each statement alone, once in a run, in the file's order; one arm is enough."""
        arrival = self.workload.arrival
        if arrival.kind != "closed" or arrival.workers != 1:
            raise ValueError("workload.arrival: in a trial of queries each statement runs alone; write workers: 1")
        self.workload.arrival = arrival.model_copy(update={"order": "file", "once": True})
        self.arms = self.arms or [ArmSpec(name="as it is")]

    def _made_arms(self) -> Iterator[ArmSpec]:
        if self.kind == "null":
            yield from (ArmSpec(name="control"), ArmSpec(name="control again"))
        elif self.kind == "tuner":
            yield ArmSpec(name=CONTROL)
        elif self.sweep is not None:
            yield from (
                ArmSpec(name=f"{self.sweep.setting} = {value}"[:40], settings={self.sweep.setting: value})
                for value in self.sweep.values
            )
        elif self.kind == "scaling":
            if len(set(self.workers)) < 3:
                raise ValueError("workers: three numbers or more are needed to fit a curve")
            yield from (ArmSpec(name=counted(number, "worker"), workers=number) for number in sorted(set(self.workers)))
        elif self.kind == "steps":
            yield ArmSpec(name=START)
            yield from (_together(self.steps[: number + 1], step.name) for number, step in enumerate(self.steps))
        elif self.kind == "factorial":
            if len(self.factors) < 2:
                raise ValueError("factors: two to four are needed")
            for number in range(2 ** len(self.factors)):
                on = [factor for place, factor in enumerate(self.factors) if number >> place & 1]
                yield _together(on, (" and ".join(one.name for one in on) or "none")[:40])

    @model_validator(mode="after")
    def _consistent(self) -> TrialDesign:
        names = [arm.name for arm in self.arms]
        if len(set(names)) != len(names):
            raise ValueError("arms: every arm needs a name of its own")
        if self.goal.statement is not None and self.goal.statement >= len(self.workload.statements):
            raise ValueError(f"goal.statement: the workload has statements 0 to {len(self.workload.statements) - 1}")
        return self

    def most_runs(self) -> int:
        """Runs that it makes if it is not stopped."""
        if self.tuner is not None:
            return self.tuner.runs + self.tuner.controls() + 2 * self.run.blocks
        return self.run.blocks * len(self.arms)

    def quick(self) -> TrialDesign:
        """The same in a small size: three blocks of short runs, which shows only what is plain."""
        # of queries the seconds are the most that a run may take, and it ends before
        seconds = self.run.seconds if self.kind == "queries" else min(self.run.seconds, QUICK_S)
        run = self.run.model_copy(update={"seconds": seconds, "blocks": min(self.run.blocks, QUICK_BLOCKS)})
        tuner = self.tuner and self.tuner.model_copy(update={"runs": min(self.tuner.runs, QUICK_TRIES)})
        return self.model_copy(update={"run": run, "tuner": tuner})

    def cautions(self) -> list[str]:
        """What makes the answer harder to read, said before the trial runs."""
        return [
            f"{arm.name} changes {arm.changes()} things at once; two changes can hide each other"
            for arm in self.arms[1:]
            if arm.changes() > 1 and self.kind not in ("factorial", "steps", "tuner")
        ]


def _together(changes: Sequence[ArmSpec], name: str) -> ArmSpec:
    """An arm with several changes."""
    return ArmSpec(
        name=name, settings={k: v for one in changes for k, v in one.settings.items()},
        add_indexes=[index for one in changes for index in one.add_indexes],
        drop_indexes=[index for one in changes for index in one.drop_indexes],
    )  # fmt: skip


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
        named = NAMED.match(message)  # what is checked of several fields together names the one that is wrong
        if named is not None:
            field, message = f"{field}.{named[1]}".lstrip("."), message[named.end() :]
        raise BadTrial(f"{field}: {message}" if field else message, field) from error


def read_file(path: Path) -> TrialDesign:
    """A checked design from a YAML file; BadTrial when it cannot be read."""
    try:
        document = read_yaml(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise BadTrial(f"{path}: {error.strerror}", "file") from error
    except (NotYaml, UnicodeDecodeError) as error:
        raise BadTrial(f"{path} is not YAML: {error}", "file") from error
    target = document.get("target") if isinstance(document, dict) else None
    made = target.get("postgresql") if isinstance(target, dict) else None
    for holder, name in ((target, "file"), (made, "folder"), (made, "dump"), (made, "bundle")):
        if isinstance(holder, dict) and holder.get(name):
            holder[name] = str(path.parent / str(holder[name]))
    return read_design(document)
