"""A trial of queries against what an earlier one printed."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from hardy_gauge.core.narrative.trial_kinds import earlier_sentence
from hardy_gauge.core.trials.query_set import QueryRun, against_earlier
from hardy_gauge.errors import InvalidInput
from hardy_gauge.load.design import TrialDesign
from hardy_gauge.load.trial import RunResult

MOST_BYTES = 50_000_000


class _Run(BaseModel):
    statement: int = Field(ge=0)
    seconds: float | None = Field(None, ge=0)
    failed: bool = False


class _Planned(BaseModel):
    arm: str


class _Played(BaseModel):
    planned: _Planned
    queries: list[_Run] = Field(min_length=1)


class _Set(BaseModel):
    arm: str


class _Queries(BaseModel):
    texts: list[str] = Field(min_length=1)
    sets: list[_Set] = Field(min_length=1)


class Earlier(BaseModel):
    """What of an earlier result is read."""

    queries: _Queries
    runs: list[_Played] = Field(min_length=1)


def read_earlier(path: Path | None, design: TrialDesign) -> Earlier | None:
    """None where none is asked for; InvalidInput where the file is no result of queries, or the design is of another kind."""
    if path is None:
        return None
    if design.kind != "queries":
        raise InvalidInput("against: only trials of kind queries are compared with an earlier run", "against")
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InvalidInput(f"against: {path} is larger than {MOST_BYTES // 10**6} MB", "against")
        found = Earlier.model_validate(json.loads(path.read_text(encoding="utf-8")))
    except OSError as error:
        raise InvalidInput(f"against: {path}: {error.strerror}", "against") from error
    except (ValueError, RecursionError) as error:
        why = error.errors()[0]["msg"] if isinstance(error, ValidationError) else "it is no JSON"
        raise InvalidInput(
            f"against: {path} is not what a trial of queries printed with --json: {why}", "against"
        ) from error
    if any(one.statement >= len(found.queries.texts) for run in found.runs for one in run.queries):
        raise InvalidInput(f"against: {path} has runs of a statement that it does not name", "against")
    return found


def earlier_document(design: TrialDesign, results: Sequence[RunResult], earlier: Earlier) -> dict[str, Any]:
    """``against``: the first arm of both, all queries together and one by one."""
    texts, arm = [one.sql for one in design.workload.statements], earlier.queries.sets[0].arm
    before = [
        _filled([QueryRun(one.statement, one.seconds, one.failed) for one in run.queries], len(earlier.queries.texts))
        for run in earlier.runs
        if run.planned.arm == arm
    ]
    now = [run.queries for run in results if run.planned.arm == design.arms[0].name]
    found = against_earlier(texts, now, earlier.queries.texts, before)
    return {"against": {"sentence": earlier_sentence(found), "queries": [asdict(one) for one in found]}}


def _filled(runs: Sequence[QueryRun], count: int) -> list[QueryRun]:
    known = {one.statement: one for one in runs}
    return [known.get(number, QueryRun(number, None, False)) for number in range(count)]
