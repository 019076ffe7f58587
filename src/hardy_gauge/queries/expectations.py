"""How good the product's expectations were: advice that was tried, with what its trial measured."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge.core.narrative.expectations import MetOut, expectations_sentence, met_out
from hardy_gauge.core.trials.expectation import Record, record_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.trial_models import Trial


@dataclass(frozen=True)
class ExpectationLine:
    """A trial of a piece of advice, ``created_us`` when it was filed."""

    trial: int
    title: str
    created_us: int
    found: MetOut


@dataclass(frozen=True)
class Expectations:
    """All of them, the latest first, and how often what was expected held."""

    sentence: str
    lines: list[ExpectationLine]
    record: Record


def expectations_of(reader: Reader) -> Expectations:
    """Trials that ended and measured what was expected."""
    with reader.store.read() as session:
        trials = session.scalars(select(Trial).where(Trial.state == "finished").order_by(Trial.id.desc())).all()
    lines = [
        ExpectationLine(one.id, one.title, one.created_us, found)
        for one in trials
        if (found := met_out(one.design, one.result)) is not None
    ]
    mets = [one.found.met for one in lines]
    record = record_of(mets)
    return Expectations(expectations_sentence(mets, record), lines, record)
