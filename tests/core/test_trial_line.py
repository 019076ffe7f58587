"""What is not the same in two designs of a line."""

from __future__ import annotations

import pytest

from hardy_gauge.core.trials.line import changed_in

BASE = {
    "title": "a", "question": "q", "run": {"seconds": "5 s", "blocks": 5}, "goal": {"metric": "p95", "statement": None},
    "arms": [{"name": "control"}, {"name": "x", "settings": {"work_mem": "4MB"}}], "workers": [1, 2],
}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "found"),
    [
        ({"title": "b", "question": "", "follows": 3}, []),
        ({"run": {"seconds": "5 s", "blocks": 9}}, ["run.blocks: 5 → 9"]),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"work_mem": "8MB"}}]}, ["arms.1.settings.work_mem: 4MB → 8MB"]),
        ({"arms": [{"name": "control"}]}, ["arms.1.name: x → not there", "arms.1.settings.work_mem: 4MB → not there"]),
        ({"workers": [1, 2, 4]}, ["workers: 1, 2 → 1, 2, 4"]),
        ({"goal": {"metric": "p95", "statement": 0}}, ["goal.statement: not there → 0"]),
        ({"guardrails": []}, []),
    ],
)  # fmt: skip
def test_what_changed(change: dict[str, object], found: list[str]) -> None:
    assert changed_in(BASE, BASE | change) == found
