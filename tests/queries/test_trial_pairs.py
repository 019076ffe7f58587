"""Two trials on file against each other; Welch's interval itself is held against scipy in ``tests/core/test_soundness.py``."""

from __future__ import annotations

import pytest

from hardy_gauge.core.trials.compare import unpaired_ratio
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.trial_pairs import trials_against
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Run, Trial

DESIGN = {"title": "one", "goal": {"metric": "p95", "at_most": "5 ms"}, "run": {"blocks": 3}}


def filed(store: Store, title: str, figures: dict[str, list[float]], **changes: object) -> int:
    with store.write() as session:
        arms = [{"name": name} for name in figures]
        trial = Trial(title=title, created_us=1, state="finished", design=DESIGN | {"arms": arms} | changes)
        session.add(trial)
        session.flush()
        for number, (arm, block, value) in enumerate(
            (a, b, v) for a, values in figures.items() for b, v in enumerate(values)
        ):
            session.add(
                Run(trial_id=trial.id, number=number, block=block, arm=arm, figures={"all": {"p95": value}, "goal": {}})
            )
        return trial.id


def test_arms_of_the_same_name_and_what_else_differs(store: Store) -> None:
    before = filed(store, "first", {"control": [4.0, 4.2, 4.4], "index": [1.0, 1.1, 1.2]})
    after = filed(store, "second", {"control": [4.1, 4.3, 4.0], "index": [0.5, 0.55, 0.6]}, run={"blocks": 4})
    found = trials_against(Reader(store, lambda: 1), before, after)
    assert [(row.first, row.second, row.metric) for row in found.rows] == [
        ("control", "control", "p95"),
        ("index", "index", "p95"),
    ]
    same, faster = found.rows
    assert same.outcome == "no difference shown" and faster.outcome == "better"
    assert faster.ratio == unpaired_ratio([1.0, 1.1, 1.2], [0.5, 0.55, 0.6]) and faster.unit == "s"
    assert found.differs == ["run.blocks: 3 → 4"] and "one thing in their designs differs" in found.sentence


def test_without_a_name_in_common_the_first_and_the_last_stand_beside_each_other(store: Store) -> None:
    before = filed(store, "first", {"a": [4.0, 4.2], "b": [1.0, 1.1]})
    after = filed(store, "second", {"c": [4.1, 4.3], "d": [9.0, 9.9], "e": [2.0, 2.1]})
    found = trials_against(Reader(store, lambda: 1), before, after)
    assert [(row.first, row.second) for row in found.rows] == [("a", "c"), ("b", "e")]


def test_too_few_runs_are_said_and_a_trial_that_is_not_there_is_not_found(store: Store) -> None:
    before, after = filed(store, "first", {"a": [4.0]}), filed(store, "second", {"a": [4.0, 5.0]})
    found = trials_against(Reader(store, lambda: 1), before, after)
    assert not found.rows and "cannot be compared" in found.sentence
    with pytest.raises(NotFound):
        trials_against(Reader(store, lambda: 1), before, 9)
