"""All statements of a scope over the focus, compared with the reference."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData
from hardy_gauge.api.samples import moments
from hardy_gauge.api.window import CurrentWindow, servers_in
from hardy_gauge.api.work import (
    examined_per_row,
    families,
    partly_told,
    per_call,
    read_intervals,
    reference_sums,
    sampled_families,
    sums,
)
from hardy_gauge.core.reference.words import share, times_reference
from hardy_gauge.store.models import Statement

router = APIRouter(tags=["statements"])


class StatementRow(BaseModel):
    """Totals over the focus; ``reference_*`` are per call or per second in the reference, None if not called there."""

    fingerprint: str
    text: str
    kind: str
    services: list[str]
    users: list[str]
    calls: float
    calls_per_s: float
    time_s: float
    share: float
    time_per_call_s: float
    rows_returned_per_call: float
    rows_examined_per_call: float | None
    examined_per_row: float | None
    pages_read_per_call: float | None
    log_bytes_per_call: float | None
    main_family: str
    families: dict[str, float]
    reference_calls_per_s: float | None
    reference_time_per_call_s: float | None
    reference_examined_per_row: float | None
    difference: str
    first_seen_us: int


class Statements(BaseModel):
    sentence: str
    scope: str
    span_s: float
    rows: list[StatementRow]


@router.get("/statements")
def statements(data: CurrentData, window: CurrentWindow, scope: str = "fleet", search: str = "") -> Statements:
    servers = servers_in(data, scope)
    frame = read_intervals(data, servers, window.focus)
    if frame.is_empty():
        empty = f"No statement of {scope} was counted in this window."
        return Statements(sentence=empty, scope=scope, span_s=window.focus.seconds, rows=[])
    totals = sums(frame, ["statement"])
    earlier, seconds = reference_sums(data, servers, window, ["statement"])
    before = {row["statement"]: row for row in earlier.iter_rows(named=True)}
    with data.store.read() as session:
        texts = {s.id: s for s in session.scalars(select(Statement))}
    recorded_s = min(window.focus.seconds, max(60, moments(data, servers, window.focus, "statement")))
    all_time = max(float(totals["time_s"].sum()), 1e-9)
    sampled = sampled_families(data, servers, window.focus) if partly_told(totals) else {}
    rows = []
    for row in totals.sort("time_s", descending=True).iter_rows(named=True):
        statement = texts.get(row["statement"])
        if statement is None or search.lower() not in statement.text.lower():
            continue
        mine = frame.filter(frame["statement"] == row["statement"])
        old = before.get(row["statement"])
        by_family = families(row, sampled.get(row["statement"]))
        time_per_call = row["time_s"] / row["calls"]
        rows.append(
            StatementRow(
                fingerprint=statement.fingerprint, text=statement.text, kind=statement.kind,
                services=sorted(mine["service"].drop_nulls().unique()),
                users=sorted(mine["user"].drop_nulls().unique()), calls=row["calls"],
                calls_per_s=row["calls"] / recorded_s, time_s=row["time_s"], share=row["time_s"] / all_time,
                time_per_call_s=time_per_call, rows_returned_per_call=per_call(row, "rows_returned") or 0.0,
                rows_examined_per_call=per_call(row, "rows_examined"), examined_per_row=examined_per_row(row),
                pages_read_per_call=per_call(row, "pages_read"), log_bytes_per_call=per_call(row, "log_bytes"),
                main_family=max(by_family, key=lambda k: by_family[k], default="other"), families=by_family,
                reference_calls_per_s=old["calls"] / seconds if old else None,
                reference_time_per_call_s=per_call(old, "time_s"), reference_examined_per_row=examined_per_row(old),
                difference=times_reference(time_per_call, per_call(old, "time_s")) if old else "new",
                first_seen_us=statement.first_seen_us,
            )
        )  # fmt: skip
    return Statements(sentence=_sentence(scope, rows), scope=scope, span_s=window.focus.seconds, rows=rows)


def _sentence(scope: str, rows: list[StatementRow]) -> str:
    if not rows:
        return f"No statement of {scope} matches the search."
    top = rows[0]
    compared = "new here" if top.difference == "new" else f"its time per call {top.difference}"
    return (
        f"{len(rows)} statements ran on {scope}; the heaviest takes {share(top.share)} of the time with "
        f"{top.calls_per_s:.2g} calls/s, {compared}."
    )
