"""Executions of each statement in two kinds: those that were recorded because they took long, and what the counters leave for the rest."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from hardy_gauge.core.evidence.evidence import StatementWork, Unknown
from hardy_gauge.core.evidence.sources import ExecutionKinds
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server, Statement

FEWEST = 10  # recorded executions: fewer say nothing of a kind


def executions(
    reader: Reader,
    server: Server,
    focus: Span,
    texts: Mapping[int, Statement],
    statements: Mapping[str, StatementWork] | Unknown,
) -> Mapping[str, ExecutionKinds] | Unknown:
    """By fingerprint; Unknown where the server does not report executions, or counts no statements beside them."""
    if "executions" not in server.abilities:
        return Unknown("the server does not report single executions")
    if isinstance(statements, Unknown):
        return statements
    with reader.store.read() as session:
        frame = segments.read(session, [server.id], "execution", focus.since_us, focus.until_us)
    if frame.is_empty():
        return {}
    rows = next((name for name in ("rows_examined", "rows_returned") if name in frame.columns), None)
    if rows is None:  # the log tells how long, not how much
        return {}
    found = {}
    for (number,), mine in frame.partition_by("statement", as_dict=True).items():
        text = texts.get(int(number))
        work = statements.get(text.fingerprint) if text is not None else None
        if text is None or work is None or len(mine) < FEWEST:
            continue
        kinds = _kinds(mine, rows, work)
        if kinds is not None:
            found[text.fingerprint] = kinds
    return found


def _kinds(mine: pl.DataFrame, rows: str, work: StatementWork) -> ExecutionKinds | None:
    """What was recorded is divided where its rows are; what was not recorded counts to the smaller kind."""
    if "plan_key" not in mine.columns:
        return None
    known = mine.select(pl.col(rows).cast(pl.Float64).alias("rows"), "duration_s", "plan_key").drop_nulls("rows")
    if len(known) < FEWEST:
        return None
    most = float(known["rows"].quantile(0.95) or 0.0)
    large = known.filter(pl.col("rows") >= most**0.5 * max(float(known["rows"].min() or 1.0), 1.0) ** 0.5)  # type: ignore[arg-type]
    small = len(known) - len(large)
    calls, time_s = max(work.calls, float(len(known))), max(work.time_s, float(known["duration_s"].sum()))
    whole_rows = (
        work.rows_examined if rows == "rows_examined" and work.rows_examined is not None else work.rows_returned
    )
    rest_calls = calls - len(large)
    if not len(large) or rest_calls < FEWEST:
        return None
    large_s, large_rows = float(large["duration_s"].sum()), float(large["rows"].sum())
    rest_rows = max(whole_rows - large_rows, 0.0) if small == 0 or whole_rows > large_rows else 0.0
    return ExecutionKinds(
        len(large) / calls, large_s / max(time_s, 1e-9), large_rows / len(large), rest_rows / rest_calls, large_s / len(large),
        max(time_s - large_s, 0.0) / rest_calls, known["plan_key"].drop_nulls().n_unique(),
    )  # fmt: skip
