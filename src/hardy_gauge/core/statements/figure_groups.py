"""A statement's figures per call, per row returned and per second, each beside its reference where there is one."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.statements.rows import StatementRow

FAMILIES_SHOWN = 3


@dataclass(frozen=True)
class FigureLine:
    """``value`` and ``reference`` in ``unit``, None where not reported."""

    words: str
    value: float | None
    unit: str
    reference: float | None = None


@dataclass(frozen=True)
class FigureGroup:
    """Figures that divide by the same."""

    title: str
    lines: list[FigureLine]


def figure_groups(row: StatementRow) -> list[FigureGroup]:
    """Three groups; a call that returns nothing counts as one row."""
    families = sorted(row.families_per_call.items(), key=lambda one: -one[1])[:FAMILIES_SHOWN]
    rows = max(row.rows_returned_per_call or 0.0, 1.0)
    return [
        FigureGroup("per call", [
            FigureLine("time", row.time_per_call_s, "s", _value(row.reference_time_per_call_s)),
            *(FigureLine(name, seconds, "s") for name, seconds in families),
            FigureLine("pages read", row.pages_read_per_call, ""),
            *(FigureLine(words, value, unit) for words, value, unit in _beside(row) if value is not None),
        ]),
        FigureGroup("per row returned", [
            FigureLine("rows examined", row.examined_per_row, "", _value(row.reference_examined_per_row)),
            FigureLine("time", _times(row.time_per_call_s, 1 / rows), "s"),
            FigureLine("pages read", _times(row.pages_read_per_call, 1 / rows), ""),
        ]),
        FigureGroup("per second", [
            FigureLine("calls", row.calls_per_s, "", _value(row.reference_calls_per_s)),
            FigureLine("active sessions", _times(row.time_per_call_s, row.calls_per_s), "", _value(row.reference_active_sessions)),
            FigureLine("rows examined", _times(row.rows_examined_per_call, row.calls_per_s), ""),
            FigureLine("log written", _times(row.log_bytes_per_call, row.calls_per_s), "B/s"),
            *([FigureLine("errors in the focus", row.errors, "")] if row.errors is not None else []),
        ]),
    ]  # fmt: skip


def _beside(row: StatementRow) -> list[tuple[str, float | None, str]]:
    """What some servers report of a call."""
    return [
        ("spread of time", row.spread_s, "s"), ("shortest so far", row.least_s, "s"), ("longest so far", row.greatest_s, "s"),
        ("planning", row.planning_per_call_s, "s"), ("temporary pages", row.temporary_pages_per_call, ""),
        ("inside other calls", row.nested_share or None, "share"),
    ]  # fmt: skip


def _value(typical: Typical | None) -> float | None:
    return None if typical is None else typical.value


def _times(figure: float | None, by: float) -> float | None:
    return None if figure is None else figure * by
