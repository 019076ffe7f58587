"""The commands as a script uses them."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import pytest
import yaml
from typer.testing import CliRunner

from hardy_gauge.cli.main import app

ROOT = Path(__file__).parents[2]
runner = CliRunner()


@pytest.mark.parametrize("verb", ["demo", "serve", "capture", "trial", "plan"])
def test_help_teaches(verb: str) -> None:
    top = runner.invoke(app, ["--help"]).output
    own = runner.invoke(app, [verb, "--help"]).output
    assert verb in top and len(own) > 300


def test_plan_prints_own_times(tmp_path: Path) -> None:
    document = {"operation": "limit", "time_s": 0.5, "steps": [{"operation": "scan", "object": "loan", "time_s": 0.4}]}
    (tmp_path / "plan.json").write_text(json.dumps(document))
    result = runner.invoke(app, ["plan", str(tmp_path / "plan.json"), "--json"])
    steps = json.loads(result.output)["steps"]
    assert result.exit_code == 0 and [round(s["own_time_s"], 6) for s in steps] == [0.1, 0.4]
    table = runner.invoke(app, ["plan", str(tmp_path / "plan.json")]).output
    assert "400 ms" in table and "scan" in table


def test_plan_of_sqlite(tmp_path: Path) -> None:
    connection = sqlite3.connect(":memory:")
    connection.execute("CREATE TABLE loan (id INTEGER PRIMARY KEY, due INTEGER)")
    rows = connection.execute("EXPLAIN QUERY PLAN SELECT * FROM loan WHERE due = 1").fetchall()
    (tmp_path / "p.json").write_text(json.dumps([{"id": r[0], "parent": r[1], "detail": r[3]} for r in rows]))
    steps = json.loads(runner.invoke(app, ["plan", str(tmp_path / "p.json"), "--json"]).output)["steps"]
    assert [s["operation"] for s in steps] == ["statement", "scan"] and steps[1]["own_time_s"] is None


def test_bad_plan_and_missing_file(tmp_path: Path) -> None:
    (tmp_path / "plan.json").write_text('{"operation": "scan", "steps": [], "cost": "dear"}')
    bad = runner.invoke(app, ["plan", str(tmp_path / "plan.json"), "--json"])
    assert bad.exit_code == 2 and json.loads(bad.output)["field"] == "root.cost"
    assert runner.invoke(app, ["plan", str(tmp_path / "none.json")]).exit_code == 2


def test_trial_prints_arms_runs_ratios_verdict(tmp_path: Path) -> None:
    document = yaml.safe_load((ROOT / "examples/sqlite-cache.yaml").read_text())
    document["run"] = {"seconds": "1 s", "blocks": 2}
    (tmp_path / "trial.yaml").write_text(yaml.safe_dump(document))
    result = runner.invoke(app, ["trial", str(tmp_path / "trial.yaml"), "--json"])
    printed = json.loads(result.stdout)
    assert result.exit_code == 0
    assert [a["arm"] for a in printed["arms"]] == ["control", "32 MiB cache"] and len(printed["runs"]) == 4
    ratio = printed["ratios"]["32 MiB cache"]["goal"]["throughput"]
    assert ratio["low"] <= ratio["ratio"] <= ratio["high"]
    assert printed["verdict"] in ("better", "worse", "no difference shown") and printed["sentence"]


def test_trial_with_wrong_units_names_the_field(tmp_path: Path) -> None:
    (tmp_path / "t.yaml").write_text((ROOT / "examples/sqlite-cache.yaml").read_text().replace("1500 /s", "1500 ms"))
    result = runner.invoke(app, ["trial", str(tmp_path / "t.yaml"), "--json"])
    assert result.exit_code == 2 and json.loads(result.stdout)["field"] == "goal.at_least"


def test_capture_records_and_refuses_a_dead_address(practice: str, tmp_path: Path) -> None:
    done = runner.invoke(app, ["capture", "--server", practice, "--for", "3s", "--data", str(tmp_path)])
    assert done.exit_code == 0 and "sample:" in done.output
    dead = runner.invoke(app, ["capture", "--server", "http://127.0.0.1:9", "--for", "1s", "--data", str(tmp_path)])
    assert dead.exit_code == 2
    assert (
        runner.invoke(app, ["capture", "--server", practice, "--for", "soon", "--data", str(tmp_path)]).exit_code == 2
    )
