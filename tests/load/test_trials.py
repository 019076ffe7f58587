"""Trials: files with mistakes, a real SQLite, a server that plays, and stopping."""

from __future__ import annotations

import copy
import sqlite3
from pathlib import Path
from typing import Any

import pytest
import yaml

from hardy_gauge.core.figures.units import duration, share
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.load.design import BadTrial, TrialDesign, read_design, read_file
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.targets import open_target
from hardy_gauge.load.trial import RunResult, Stopped, evaluate
from hardy_gauge.probes.http import HttpProbe

ROOT = Path(__file__).parents[2]
EXAMPLE: dict[str, Any] = yaml.safe_load((ROOT / "examples/compare.yaml").read_text())
HOLDS = "SELECT h.id, p.notify_by FROM hold_request h JOIN patron p ON p.id = h.patron_id WHERE h.title_id = $1 AND h.state = $2 ORDER BY h.placed_at LIMIT 5"
PLAYED: dict[str, Any] = {
    "title": "index", "goal": {"metric": "p95", "at_most": "50 ms", "statement": 0}, "target": {"address": "set below"},
    "guardrails": [{"metric": "throughput", "worsen_at_most": "2%"}],
    "workload": {
        "arrival": {"kind": "open", "rate": "80 /s"},
        "statements": [
            {"sql": HOLDS, "weight": 1},
            {"sql": "SELECT id, title_id, branch_id, shelf, state FROM item WHERE barcode = $1", "weight": 60},
        ],
    },
    "arms": [
        {"name": "control"},
        {"name": "with index", "add_indexes": [{"table": "hold_request", "columns": ["title_id", "state", "placed_at"]}]},
    ],
    "run": {"seconds": "15 s", "blocks": 3, "seed": 5},
}  # fmt: skip


def changed(document: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    made = copy.deepcopy(document)
    at: Any = made
    *parts, last = path.split(".")
    for part in parts:
        at = at[int(part)] if part.isdigit() else at[part]
    at[int(last) if last.isdigit() else last] = value
    return made


MISTAKES = [
    ("goal.at_least", "1500 ms", "goal.at_least"),
    ("goal.at_least", "fast", "goal.at_least"),
    ("goal", {"metric": "p95", "at_most": 50}, "goal.at_most"),
    ("goal", {"metric": "p95", "at_least": "5 /s"}, "goal"),
    ("goal", {"metric": "p42", "at_most": "5 ms"}, "goal.metric"),
    ("run.seconds", "20 bytes", "run.seconds"),
    ("run.blocks", 1, "run.blocks"),
    ("workload.arrival", {"kind": "closed"}, "workload.arrival"),
    ("workload.arrival", {"kind": "recorded"}, "workload.arrival"),
    ("workload.arrival", {"kind": "recorded", "times": ["2 s", "1 s"]}, "workload.arrival"),
    ("workload.arrival", {"kind": "recorded", "times": [1]}, "workload.arrival.times.0"),
    ("workload.arrival", {"workers": 2, "think_kind": "uniform", "think": "1 ms"}, "workload.arrival"),
    (
        "workload.arrival",
        {"workers": 2, "think_kind": "uniform", "think": "9 ms", "think_most": "1 ms"},
        "workload.arrival",
    ),
    ("workload.arrival", {"kind": "open", "rate": "5 /s", "order": "file"}, "workload.arrival.order"),
    ("workload.statements", [], "workload.statements"),
    ("target", {"sample": "library", "server": "lab-a"}, "target"),
    ("guardrails.0.worsen_at_most", "10 s", "guardrails.0.worsen_at_most"),
    ("arms", [{"name": "control"}], "arms"),
    ("colour", "red", "colour"),
]


@pytest.mark.parametrize(("path", "value", "field"), MISTAKES)
def test_a_mistake_in_the_file_is_named(path: str, value: Any, field: str) -> None:
    with pytest.raises(BadTrial) as bad:
        read_design(changed(EXAMPLE, path, value))
    assert bad.value.field == field


TARGET_MISTAKES = [
    ("arms.1.settings", {"cache_size": 10**12}, "arms.1.settings.cache_size"),
    ("arms.1.settings", {"colour": 1}, "arms.1.settings.colour"),
    ("arms.1.settings", {"journal_mode": "fast"}, "arms.1.settings.journal_mode"),
    ("arms.1.settings", {"mmap_size": "64 MiB"}, "arms.1.settings.mmap_size"),
    ("arms.1.add_indexes", [{"table": "loan", "columns": ["colour"]}], "arms.1"),
    ("workload.statements.0.sql", "SELECT colour FROM loan", "workload.statements.0.sql"),
    ("target", {"file": "/nowhere/at/all.db"}, "target.file"),
    ("run", {"cold": True}, "run.cold"),
]


@pytest.mark.parametrize(("path", "value", "field"), TARGET_MISTAKES)
def test_what_the_sqlite_target_refuses(path: str, value: Any, field: str) -> None:
    document = EXAMPLE | {
        "arms": [{"name": "control", "settings": {}}, {"name": "b", "settings": {}, "add_indexes": []}]
    }
    with pytest.raises(BadTrial) as bad:
        open_target(read_design(changed(document, path, value)), None)
    assert bad.value.field == field


def test_units() -> None:
    assert (duration("50 ms"), duration("2 min"), share("5%")) == (0.05, 120.0, 0.05)
    with pytest.raises(ValueError, match="with its unit"):
        duration(50)


def run(document: dict[str, Any], address: str | None = None) -> tuple[TrialDesign, list[RunResult], dict[str, Any]]:
    design = read_design(document)
    target = open_target(design, HttpProbe(address) if address else None)
    seen: list[RunResult] = []
    try:
        results = play_trial(design, target, lambda run, _: seen.append(run), lambda _: True)
    finally:
        target.close()
    assert seen == results
    return design, results, evaluate(design, results)


def told(results: list[RunResult]) -> dict[str, tuple[str, str | None]]:
    """Of each arm, how the first statement reaches its first table in the plan that was kept."""
    found = {}
    for plans, arm in ((run.plans, run.planned.arm) for run in results if run.plans):
        assert plans[0] is not None
        step = next(one for one in read_document(plans[0]).root.walk() if one[1].object)[1]
        found[arm] = (step.operation, step.index)
    return found


def test_a_real_sqlite_file_on_the_wall_clock(tmp_path: Path) -> None:
    """A missing index on a real file is plainly worse than having it; the file itself is not touched."""
    path = tmp_path / "desk.db"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE loan (id INTEGER PRIMARY KEY, due_day INTEGER, returned INTEGER)")
        connection.execute(
            "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60000) INSERT INTO loan SELECT i, i % 3000, 0 FROM n"
        )
    before = path.read_bytes()
    document = EXAMPLE | {
        "target": {"file": str(path)},
        "goal": {"metric": "p95", "at_most": "900 us"},
        "guardrails": [],
        "workload": {
            "arrival": {"kind": "closed", "workers": 2, "think": "1 ms"},
            "statements": [
                {"sql": "SELECT count(*) FROM loan WHERE due_day = ?", "weight": 9, "parameters": [{"low": 0, "high": 2999}]},
                {"sql": "UPDATE loan SET returned = 1 WHERE id = ?", "weight": 1, "parameters": [{"low": 1, "high": 60000}]},
            ],
        },
        "arms": [
            {"name": "control", "settings": {"journal_mode": "wal", "synchronous": "off"}},
            {"name": "indexed", "settings": {"journal_mode": "wal", "synchronous": "off"}, "add_indexes": [{"table": "loan", "columns": ["due_day"]}]},
        ],
        "run": {"seconds": "1500 ms", "blocks": 3, "seed": 2},
    }  # fmt: skip
    _, results, evaluation = run(document)
    assert path.read_bytes() == before
    (candidate,) = evaluation["candidates"]
    assert candidate["outcome"] == "better" and candidate["ratios"]["goal"]["p50"]["high"] < 0.5
    assert all(r.failed == 0 and r.all["executions"] > 5 for r in results)
    assert told(results) == {"control": ("scan", None), "indexed": ("index only", "loan_due_day")}
    assert evaluation["cautions"] == ["indexed changes 3 things at once; two changes can hide each other"]


def test_a_server_that_plays(practice: str) -> None:
    document = changed(PLAYED, "target.address", f"{practice}/servers/lab-a")
    _, results, evaluation = run(document)
    (candidate,) = evaluation["candidates"]
    assert candidate["outcome"] == "better" and candidate["goal"] == "met" and not candidate["guardrails_broken"]
    assert candidate["ratios"]["goal"]["p95"]["high"] < 0.1
    control = next(a for a in evaluation["arms"] if a["arm"] == "control")
    assert max(control["active_sessions"], key=control["active_sessions"].get) == "data read"
    assert len(results) == 6
    operation, index = told(results)["with index"]
    assert index and index != told(results)["control"][1] and "index" in operation


def test_recorded_arrivals_and_a_cold_start_reach_the_server(practice: str) -> None:
    document = changed(PLAYED, "target.address", f"{practice}/servers/lab-a")
    times = [f"{n * 40} ms" for n in range(100)]
    document["workload"]["arrival"] = {"kind": "recorded", "times": times}
    means = {}
    for cold in (False, True):
        design = read_design(changed(document, "run.cold", cold))
        target = open_target(design, None)
        frame = target.run(design.arms[1], 5.0, 3, lambda _: True)
        target.close()
        assert len(frame) == 100 and frame["start_s"].max() == pytest.approx(3.96, abs=0.001)
        means[cold] = frame["duration_s"].mean()
    assert means[True] > 1.5 * means[False], "every page comes from the volume at first"


PLAY_MISTAKES = [
    ("arms.1.add_indexes.0.columns", ["colour"], "arms.1.add_indexes.columns"),
    ("arms.1", {"name": "b", "settings": {"buffer_cache_bytes": 1}}, "arms.1.settings.buffer_cache_bytes"),
    ("arms.1", {"name": "b", "settings": {"colour": 1}}, "arms.1.settings.colour"),
    ("workload.statements.1.sql", "SELECT 1 FROM nowhere", "workload.statements.1.sql"),
]


@pytest.mark.parametrize(("path", "value", "field"), PLAY_MISTAKES)
def test_what_the_playing_server_refuses(practice: str, path: str, value: Any, field: str) -> None:
    document = changed(changed(PLAYED, "target.address", f"{practice}/servers/lab-a"), path, value)
    with pytest.raises(BadTrial) as bad:
        open_target(read_design(document), None)
    assert bad.value.field == field


def test_a_trial_can_be_stopped_and_keeps_its_runs(practice: str) -> None:
    document = changed(PLAYED, "target.address", f"{practice}/servers/lab-a")
    design = read_design(document)
    target = open_target(design, None)
    results: list[RunResult] = []
    with pytest.raises(Stopped):
        play_trial(design, target, lambda run, _: results.append(run), lambda _: len(results) < 2)
    target.close()
    assert len(results) == 2


def test_examples_and_shipped_samples_are_valid() -> None:
    files = [*(ROOT / "examples").glob("*.yaml"), *(ROOT / "src/hardy_gauge/load/samples").glob("*.yaml")]
    assert len(files) >= 3
    for path in files:
        design = read_file(path)
        assert len(design.arms) >= 2 or design.kind == "tuner"


def test_unreadable_files(tmp_path: Path) -> None:
    with pytest.raises(BadTrial, match="No such file"):
        read_file(tmp_path / "none.yaml")
    (tmp_path / "bad.yaml").write_text("a: [")
    with pytest.raises(BadTrial, match="not YAML"):
        read_file(tmp_path / "bad.yaml")
