"""A trial once more with something changed: what its kind makes of the design is made anew."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.errors import NotFound
from hardy_gauge.load.design import read_design
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.trials import again
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Trial

BASE = {
    "title": "memory", "goal": {"metric": "p95", "at_most": "1 s"}, "target": {"postgresql": {"sample": "library"}},
    "workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT 1"}]}, "run": {"seconds": "1 s", "blocks": 2},
}  # fmt: skip
KINDS: list[tuple[str, dict[str, Any]]] = [
    ("sweep", {"sweep": {"setting": "work_mem", "values": ["1MB", "2MB", "4MB"]}}),
    ("scaling", {"workers": [1, 2, 4]}),
    ("steps", {"steps": [{"name": "more", "settings": {"work_mem": "8MB"}}]}),
    ("null", {}),
]


@pytest.mark.parametrize(("kind", "given"), KINDS)
def test_arms_that_a_kind_makes_are_left_out(store: Store, kind: str, given: dict[str, Any]) -> None:
    """With other values its arms are others; stated as they were, they would be refused."""
    document = {"kind": kind, **BASE, **given}
    design = read_design(document)
    filed = document | {"arms": [arm.model_dump(mode="json", exclude_defaults=True) for arm in design.arms]}
    with store.write() as session:
        session.add(Trial(title="memory", created_us=1, design=filed))
    found = again(Reader(store, lambda: 2), 1)
    assert "arms" not in found and found["follows"] == 1
    if kind == "sweep":
        found["sweep"]["values"] = ["16MB", "32MB", "64MB"]
    assert len(read_design(found).arms) == len(design.arms)


def test_arms_that_were_stated_stay(store: Store) -> None:
    arms = [{"name": "control"}, {"name": "more", "settings": {"work_mem": "8MB"}}]
    expects = {"ratio": 0.5, "low": 0.4, "high": 0.6}
    with store.write() as session:
        session.add(Trial(title="memory", created_us=1, design={**BASE, "arms": arms, "expects": expects}))
    found = again(Reader(store, lambda: 2), 1)
    assert found["arms"] == arms and found["expects"] == expects
    with pytest.raises(NotFound):
        again(Reader(store, lambda: 2), 7)
