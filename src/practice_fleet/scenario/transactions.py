"""Transactions of applications: several statements in one order, which keep what they lock until the commit."""

from __future__ import annotations

from pydantic import Field

from practice_fleet.scenario.units import Part


class StepSpec(Part):
    """One statement of a transaction."""

    statement: str = Field(description="key of the statement")
    times: float = Field(1.0, gt=0, description="how often it is called in one transaction, on average")


class TransactionSpec(Part):
    """What an application does as one: all of it, or with ``rolls_back`` none of it."""

    rate: float = Field(gt=0, description="transactions per second at the top of the rhythm, on the whole cluster")
    rhythm: str = Field(description="name of its rhythm, which its statements have too")
    steps: list[StepSpec] = Field(min_length=1, description="statements in their order")
    pause_s: float = Field(0.0, ge=0, le=60, description="seconds that the application takes between two steps")
    rolls_back: float = Field(0.0, ge=0, lt=1, description="share of the transactions that are taken back at the end")
