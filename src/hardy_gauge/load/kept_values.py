"""Statements of a trial whose values are those that executions were recorded with: looked up at the start, and kept nowhere else."""

from __future__ import annotations

from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import ParameterSpec, Workload, WorkloadStatement
from hardy_gauge.queries.kept_values import kept_values
from hardy_gauge.store.database import Store

FEWEST = 20  # executions with values


def with_kept_values(workload: Workload, store: Store | None, takes_values: bool) -> Workload:
    """The workload with lists of values, drawn together. BadTrial where no executions are recorded here with theirs, or the target takes none."""
    found = [_with_values(number, one, store, takes_values) for number, one in enumerate(workload.statements)]
    return workload.model_copy(update={"statements": found})


def _with_values(number: int, one: WorkloadStatement, store: Store | None, takes_values: bool) -> WorkloadStatement:
    if one.values_of is None:
        return one
    field = f"workload.statements.{number}.values_of"
    if not takes_values:
        raise BadTrial(f"{field}: values of recorded executions are for a PostgreSQL", field)
    if store is None:
        raise BadTrial(f"{field}: {one.values_of.server} is not a server of the recorded fleet", field)
    rows = kept_values(store, one.values_of.server, one.values_of.statement, one.sql, clock_us())
    if len(rows) < FEWEST:
        why = f"{len(rows)} executions of it are recorded with their values on {one.values_of.server} in a week, and {FEWEST} are wanted"
        raise BadTrial(f"{field}: {why}; have its capture rule keep literals, or give parameters", field)
    parameters = [ParameterSpec(values=list(values), together=True) for values in zip(*rows, strict=True)]
    return one.model_copy(update={"parameters": parameters})
