"""The commands as a script uses them."""

from __future__ import annotations

import json
import sqlite3
import threading
from pathlib import Path

import psycopg
import pytest
import yaml
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from tests.postgres import SECRET, watched_postgres

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
    document = yaml.safe_load((ROOT / "examples/compare.yaml").read_text())
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
    (tmp_path / "t.yaml").write_text((ROOT / "examples/compare.yaml").read_text().replace("1500 /s", "1500 ms"))
    result = runner.invoke(app, ["trial", str(tmp_path / "t.yaml"), "--json"])
    assert result.exit_code == 2 and json.loads(result.stdout)["field"] == "goal.at_least"


def test_capture_records_and_refuses_a_dead_address(practice: str, tmp_path: Path) -> None:
    done = runner.invoke(app, ["capture", "--target", practice, "--for", "3s", "--data", str(tmp_path)])
    assert done.exit_code == 0 and "sample:" in done.output
    dead = runner.invoke(app, ["capture", "--target", "http://127.0.0.1:9", "--for", "1s", "--data", str(tmp_path)])
    assert dead.exit_code == 2
    assert (
        runner.invoke(app, ["capture", "--target", practice, "--for", "soon", "--data", str(tmp_path)]).exit_code == 2
    )


def test_settings_from_a_file_and_back(tmp_path: Path) -> None:
    file, data = tmp_path / "gauge.yaml", ["--data", str(tmp_path)]
    file.write_text("rules:\n- {name: hush, applies_to: [lab], mode: reading}\nlimits: {most_bytes: 20 GB}\n")
    done = runner.invoke(app, ["settings", "apply", str(file), *data])
    assert done.exit_code == 0 and "followed: rules, limits" in done.output
    shown = runner.invoke(app, ["settings", "show", *data]).output
    found = yaml.safe_load(shown)
    assert found["rules"] == [{"name": "hush", "applies_to": ["lab"], "mode": "reading"}]
    assert found["limits"]["most_bytes"] == 20_000_000_000 and found["servers"] == []
    file.write_text("limits: {sample_days: 3}\nrules: [{name: hush, sample: 0 s}]")
    wrong = runner.invoke(app, ["settings", "apply", str(file), *data])
    assert wrong.exit_code == 2 and "rules.0.sample" in wrong.output
    file.write_text("limits: {sample_days: 3}\nservers: [{server: nobody, labels: [x]}]")
    wrong = runner.invoke(app, ["settings", "apply", str(file), *data])
    assert wrong.exit_code == 2 and "servers.0.server" in wrong.output
    assert runner.invoke(app, ["settings", "show", *data]).output == shown, "all of a file or nothing"
    file.write_text(shown)
    assert runner.invoke(app, ["settings", "apply", str(file), *data]).exit_code == 0
    assert runner.invoke(app, ["settings", "show", *data]).output == shown


@pytest.mark.postgres
def test_a_bundle_is_taken_home_from_a_real_server(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The way of docs/postgresql.md for a machine that has no access to the application."""
    monkeypatch.setenv("HARDY_GAUGE_SECRET", SECRET)
    out = tmp_path / "loans.bundle"
    with watched_postgres() as (owner, address):
        over = threading.Event()

        def work() -> None:
            with psycopg.connect(owner.info.dsn, autocommit=True) as desk:
                while not over.is_set():
                    desk.execute(
                        "SELECT count(*), pg_sleep(0.2) FROM loan WHERE note LIKE '%7%'"
                    )  # seen at work at every look

        desk = threading.Thread(target=work)
        desk.start()
        command = ["capture", "--target", address, "--user", "gauge", "--for", "4s", "--out", str(out)]
        done = runner.invoke(app, command)
        over.set()
        desk.join()
    assert done.exit_code == 0, done.output
    assert SECRET.encode() not in out.read_bytes() and SECRET not in done.output
    opened = runner.invoke(app, ["bundle", "open", str(out), "--data", str(tmp_path / "home")])
    assert opened.exit_code == 0 and "reading-room: opened" in opened.output
    again = runner.invoke(app, ["bundle", "open", str(out), "--data", str(tmp_path / "home")])
    assert "were there already" in again.output
    written = runner.invoke(app, ["bundle", "export", str(out), "--to", str(tmp_path / "csv"), "--format", "csv"])
    names = {Path(line).name for line in written.output.split()}
    assert {"reading-room-sample.csv", "reading-room-statement.csv", "reading-room-metric.csv"} <= names
    text = (tmp_path / "csv" / "reading-room-statement.csv").read_text()
    assert "SELECT count(*), pg_sleep($1) FROM loan WHERE note LIKE $2" in text
    (tmp_path / "no.bundle").write_text("no")
    assert runner.invoke(app, ["bundle", "open", str(tmp_path / "no.bundle"), "--data", str(tmp_path)]).exit_code == 2
