"""Statements and the rhythm of a week."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.scenario.units import Part


class StatementSpec(Part):
    """One statement of the workload."""

    sql: str = Field(min_length=1, description="text, with $1, $2 … for parameters")
    service: str = Field(description="the application that runs it")
    user: str = Field(description="the database user it runs as")
    rate: float = Field(
        0,
        ge=0,
        description="calls per second at the top of the rhythm, on the whole cluster; may be left out where transactions call it",
    )
    rhythm: str = Field(description="name of its rhythm")
    on: Literal["primary", "replica", "all"] = Field("primary", description="which servers of the cluster run it")
    matching_rows: float | None = Field(
        None, ge=0, description="rows that truly match; default: as the columns' values say"
    )
    hot_rows: int | None = Field(None, ge=1, description="rows among which an update's locks fall")
    locked_rows: int = Field(1, ge=1, le=16, description="of these, how many a call locks, one after the other")
    lock_order: Literal["same", "any"] = Field(
        "same", description="whether all calls lock them in one order; in any order there are deadlocks"
    )
    used_share: float | None = Field(
        None,
        ge=0,
        le=1,
        description="of the bytes that it sends, those the application uses; left out: it does not tell",
    )
    written_bytes: float = Field(0, ge=0, description="log bytes a call writes besides its rows")


class RhythmSpec(Part):
    """Share of the top rate by hour of the local day (the scenario's time zone), and factors by weekday (Monday first)."""

    hours: list[float] = Field(min_length=24, max_length=24, description="share of the top rate in each hour")
    weekdays: list[float] = Field([1.0] * 7, min_length=7, max_length=7, description="factor for Monday to Sunday")
    holiday: float | None = Field(None, ge=0, description="factor for holidays; left out: as on a Sunday")
    month_days: list[int] = Field(default_factory=list, description="only on these days of the month; −1 is the last")

    @property
    def mean(self) -> float:
        """Share of the top rate over whole weeks, as if every day of the month were the same."""
        days = len(self.month_days) / 30 if self.month_days else 1.0
        return sum(self.hours) / 24 * sum(self.weekdays) / 7 * days
