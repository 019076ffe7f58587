"""Executions of one statement differ by their values: rows, pages and time go together, and some plans show two kinds."""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl
import pytest

from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import MINUTE_US
from tests.practice.test_history import NOW, server


def calls_of(made: Scenario, key: str) -> pl.DataFrame:
    """Every execution of a statement in an hour."""
    found = frames.execution_frame(History(server(made)), NOW, NOW + 60 * MINUTE_US, 1e-6)
    return found.filter(pl.col("statement_key") == key)


def looked_up(scenario: Scenario) -> str:
    """The statement of desk-a that finds most rows through an index, of those that are called often."""
    block = History(server(scenario)).at(NOW)
    often = {key for key, calls in zip(block.keys, block.calls[:, 0], strict=True) if calls > 20}
    selects = {k for k in often if all(n.operation != "scan" for n in block.state.plans[k].walk())}
    return max(sorted(selects), key=lambda k: block.state.visits[k].rows_returned)


def test_executions_differ_by_their_value(scenario: Scenario) -> None:
    """Hardly two calls are alike; what takes longer has met more rows; the means are the statement's own."""
    key = looked_up(scenario)
    frame = calls_of(scenario, key)
    assert len(frame) > 100 and frame["rows_returned"].n_unique() > 5
    assert frame.select("rows_examined", "pages_read", "duration_s").is_unique().mean() > 0.9
    assert np.corrcoef(frame["rows_returned"].to_numpy(), frame["duration_s"].to_numpy())[0, 1] > 0.2
    mean = History(server(scenario)).at(NOW).state.visits[key].rows_returned
    assert frame["rows_returned"].mean() == pytest.approx(mean, rel=0.35)


def test_a_plan_for_a_rare_value_shows_two_kinds_of_calls(scenario: Scenario) -> None:
    key = looked_up(scenario)
    spec: dict[str, Any] = {"cause": "value_sensitive_plan", "statement": key, "share": 0.25, "size": 400}
    spec |= {"servers": ["desk-a"], "start_minutes_ago": 600}
    frame = calls_of(Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]}), key)
    rows = np.log10(np.maximum(frame["rows_returned"].to_numpy(), 0.5))
    heavy = rows > (rows.min() + rows.max()) / 2
    assert float(heavy.mean()) == pytest.approx(0.25, abs=0.07), "a quarter of the calls"
    took = frame["duration_s"].to_numpy()
    assert took[heavy].mean() > 20 * took[~heavy].mean()
    assert len(set(frame["plan_key"])) == 1, "one plan for both"
