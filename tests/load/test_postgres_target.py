"""Trials on a PostgreSQL that is made for them: known truths are found, settings are really in force, nothing is left."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import psutil
import pytest
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.load.design import BadTrial, read_design, read_file
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.targets import open_target
from hardy_gauge.load.trial import RunResult, evaluate
from tests.patience import PATIENT_S

pytestmark = [pytest.mark.postgres, pytest.mark.timeout(300)]
EXAMPLE = Path("examples/compare-postgresql.yaml")
SORT = {
    "title": "memory of a sort", "goal": {"metric": "mean", "at_most": "1 s"}, "target": {"postgresql": {"sample": "library"}},
    "workload": {
        "arrival": {"kind": "closed", "workers": 1},
        "statements": [{"sql": "SELECT remark FROM loan ORDER BY remark, due_day OFFSET 299990"}],
    },
    "arms": [{"name": "control", "settings": {"work_mem": "64kB"}}, {"name": "more", "settings": {"work_mem": "128MB"}}],
    "run": {"seconds": "1.5 s", "blocks": 2},
}  # fmt: skip


def leftovers(process: int | None = None) -> set[str]:
    """Folders that a process made, this one where none is named; other tests make theirs beside it."""
    found = set()
    for folder in Path(tempfile.gettempdir()).glob("hardy-gauge-lab-*"):
        try:
            owner = json.loads((folder / "owner.json").read_text())
        except (OSError, ValueError):
            continue
        if owner["process"] == (process or os.getpid()):
            found.add(str(folder))
    return found


def with_(changes: dict[str, object]) -> dict[str, object]:
    return json.loads(json.dumps(SORT)) | changes


def played(document: dict[str, object]) -> tuple[dict, list[RunResult]]:  # type: ignore[type-arg]
    design = read_design(document)
    target = open_target(design, None)
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    return evaluate(design, results), results


def test_the_example_finds_what_its_index_brings() -> None:
    design = read_file(EXAMPLE).quick()
    design.run.seconds = 1.5
    before = leftovers()
    target = open_target(design, None)
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    found = evaluate(design, results)
    (candidate,) = found["candidates"]
    # a run that the machine stalled in widens the interval of three blocks beyond telling
    assert candidate["outcome"] in ("better", "no difference shown"), candidate
    assert candidate["ratios"]["goal"]["throughput"]["ratio"] > 3, candidate
    assert all(run.failed == 0 for run in results) and len(results) == 6
    for arm in found["arms"]:
        assert 0.02 < sum(arm["active_sessions"].values()) < 2.6, (
            "two workers are seen at work, though seldom where calls are short"
        )
        assert arm["settings_in_force"]["synchronous_commit"] == "on" and arm["settings_in_force"]["fsync"] == "on"
    plans = outcome_of(design, results)["plans"]
    assert (
        plans["known"] == 3 and plans["first"] == "control" and [one["arm"] for one in plans["other"]] == ["with index"]
    )
    kept = {run.planned.arm: run.plans[plans["other"][0]["statement"]] for run in results if run.plans}
    assert len(kept) == 2 and sum(bool(run.plans) for run in results) == 2, "the first run of each arm has them"
    assert "trial_arms_1_0" in json.dumps(kept["with index"]) and "trial_arms_1_0" not in json.dumps(kept["control"])
    assert leftovers() == before


def test_a_setting_of_the_planner_changes_the_plan_that_is_told() -> None:
    """As the server has it by its documentation: without ``enable_indexscan`` and its like a table is read whole."""
    off = {"enable_indexscan": False, "enable_bitmapscan": False, "enable_indexonlyscan": False}
    statements = [
        {"sql": "SELECT id FROM loan WHERE id = $1", "parameters": [{"low": 1, "high": 9}]},
        {"sql": "SELECT 1"},
    ]
    design = read_design(
        with_({"workload": {"arrival": {"workers": 1}, "statements": statements}, "arms": [{"name": "control"}, {"name": "off", "settings": off}], "run": {"seconds": "1 s", "blocks": 2}})
    )  # fmt: skip
    target = open_target(design, None)
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    plans = outcome_of(design, results)["plans"]
    assert plans["known"] == 2 and [(one["statement"], one["arm"]) for one in plans["other"]] == [(0, "off")]
    kept = {
        run.planned.arm: {step.operation for _, step in read_document(run.plans[0]).root.walk()}
        for run in results
        if run.plans
    }
    assert kept["control"] == {"index only"} and kept["off"] == {"gather", "scan"}


def test_settings_are_those_that_the_server_tells_and_a_sort_in_memory_is_not_slower() -> None:
    found, results = played(SORT)
    settings = {arm["arm"]: arm["settings_in_force"]["work_mem"] for arm in found["arms"]}
    assert settings == {"control": "64kB", "more": "128MB"}
    families = {arm["arm"]: arm["active_sessions"] for arm in found["arms"]}
    assert len(results) == 4 and families["control"].get("temporary space", 0.0) >= families["more"].get(
        "temporary space", 0.0
    )


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"archive_command": "touch /tmp/x"}}]}, "arms.1.settings.archive_command"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"shared_preload_libraries": "x"}}]}, "arms.1.settings.shared_preload_libraries"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"no_such": 1}}]}, "arms.1.settings.no_such"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"work_mem": "1 banana"}}]}, "arms.1.settings"),
        ({"arms": [{"name": "control"}, {"name": "x", "add_indexes": [{"table": "loan", "columns": ["colour"]}]}]}, "arms.1.add_indexes"),
        ({"arms": [{"name": "control"}, {"name": "x", "drop_indexes": ["nowhere"]}]}, "arms.1.drop_indexes"),
        ({"target": {"postgresql": {"folder": "/nowhere"}}}, "target.postgresql.folder"),
        ({"workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT colour FROM loan"}]}}, "workload.statements.0.sql"),
        ({"workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT 1 FROM loan WHERE id = $1"}]}}, "workload.statements.0.sql"),
    ],
)  # fmt: skip
def test_what_cannot_be_run_names_the_field(changes: dict[str, object], field: str, tmp_path: Path) -> None:
    (tmp_path / "small.sql").write_text("CREATE TABLE loan (id int PRIMARY KEY, remark text, due_day int)")
    changes = {"target": {"postgresql": {"folder": str(tmp_path)}}} | changes
    with pytest.raises(BadTrial) as refused:
        open_target(read_design(with_(changes)), None).close()
    assert refused.value.field == field, str(refused.value)


def test_a_folder_of_sql_fills_it_and_may_do_nothing_else(tmp_path: Path) -> None:
    (tmp_path / "1.sql").write_text(
        "CREATE TABLE shelf (id int PRIMARY KEY); INSERT INTO shelf SELECT generate_series(1, 100);"
    )
    document = with_({"target": {"postgresql": {"folder": str(tmp_path)}}, "workload": {"arrival": {"workers": 2}, "statements": [{"sql": "INSERT INTO shelf VALUES ($1)", "parameters": [{"low": 1, "high": 200}]}]}})  # fmt: skip
    document["run"] = {"seconds": "1 s", "blocks": 2}
    document["arms"] = [{"name": "control"}, {"name": "again"}]
    _, results = played(document)
    assert all(run.failed > 0 for run in results), "a key that is there already fails, and is counted"
    (tmp_path / "2.sql").write_text("COPY shelf TO '/tmp/shelf'")
    with pytest.raises(BadTrial, match=r"2\.sql") as refused:
        open_target(read_design(document), None).close()
    assert refused.value.field == "target.postgresql"


def test_plan_does_nothing_and_says_how_long() -> None:
    before = leftovers()
    said = CliRunner().invoke(app, ["trial", str(EXAMPLE), "--plan", "--json"])
    document = json.loads(said.stdout)
    assert (
        said.exit_code == 0 and document["runs"] == 10 and document["seconds_at_least"] == 50 and leftovers() == before
    )
    assert document["arms"]["with index"] == "index on loan (patron_id)"


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL])
def test_nothing_is_left_after_a_kill(how: signal.Signals) -> None:
    process = subprocess.Popen([sys.executable, "-m", "hardy_gauge.cli.main", "trial", str(EXAMPLE), "--json"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)  # fmt: skip
    until, children = time.monotonic() + PATIENT_S, list[psutil.Process]()
    while time.monotonic() < until and not any("postgres" in child.name() for child in children):
        time.sleep(0.2)
        children = psutil.Process(process.pid).children(recursive=True)
    time.sleep(2.0)
    children = psutil.Process(process.pid).children(recursive=True)
    process.send_signal(how)
    said, _ = process.communicate(timeout=PATIENT_S)
    if how == signal.SIGTERM:
        assert process.returncode == 3 and json.loads(said)["verdict"] == "interrupted"
        assert leftovers(process.pid) == set()
    gone, alive = psutil.wait_procs(children, timeout=PATIENT_S)
    assert not alive and gone, alive
    open_target(read_design(with_({"arms": [{"name": "control"}, {"name": "again"}]})), None).close()
    assert leftovers(process.pid) == set(), "the next one takes away what was left"
