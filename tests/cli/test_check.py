"""``hardy-gauge check``: files for build pipelines, with exit codes, a baseline and the formats."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from hardy_gauge.core.checks.registry import CHECKS
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster, Server, Snapshot

# as the SchemaStore package 0.2.2 ships it
SCHEMA_2_1 = Path(__file__).parents[1] / "core" / "outside" / "sarif-2.1.0.json"
SQL = """-- a report
SELECT * FROM loan
WHERE code = 5;

DELETE FROM loan;
SELECT id FROM loan WHERE id = $1;
SELEC broken ((;
\\i other.sql
"""
SCHEMA = "CREATE TABLE loan (id bigint PRIMARY KEY, patron bigint NOT NULL, code varchar(20)); CREATE INDEX p ON loan (patron);"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "queries" / "deep").mkdir(parents=True)
    (tmp_path / "queries" / "deep" / "report.sql").write_text(SQL)
    (tmp_path / "queries" / "clean.sql").write_text("SELECT id FROM loan WHERE id = 1;")
    (tmp_path / "queries" / "notes.txt").write_text("DELETE FROM loan;")
    (tmp_path / "schema.sql").write_text(SCHEMA)
    return tmp_path


def run(*words: object, code: int = 0) -> str:
    result = CliRunner().invoke(app, ["check", *map(str, words)])
    assert result.exit_code == code, result.output
    return result.output


def of(text: str) -> list[tuple[str, int, str]]:
    return [(Path(one["file"]).name, one["line"], one["check"]) for one in json.loads(text)]


def test_lines_files_and_what_a_schema_adds(folder: Path) -> None:
    plain = of(run(folder / "queries", "--format", "json", code=1))
    assert plain == [
        ("report.sql", 2, "all_columns"),
        ("report.sql", 5, "change_without_condition"),
        ("report.sql", 7, "cannot_be_read"),
    ]
    known = of(run(folder / "queries", "--format", "json", "--schema", folder / "schema.sql", code=1))
    assert ("report.sql", 2, "implicit_conversion") in known and set(plain) <= set(known)
    first: dict[str, Any] = json.loads(run(folder / "queries", "--format", "json", code=1))[0]
    assert set(first) == {"file", "line", "statement", "check", "grade", "message", "remedy"}
    text = run(folder / "queries", code=1)
    assert "report.sql:5: act: Every row is changed or deleted: it deletes every row of loan." in text
    assert text.strip().endswith("1 act, 1 plan, 1 note")


def test_the_grade_decides_about_the_exit(folder: Path) -> None:
    run(folder / "queries" / "clean.sql")
    (folder / "note.sql").write_text("SELECT id, id FROM loan WHERE id = 1;")
    run(folder / "note.sql")
    run(folder / "note.sql", "--fail-from", "note", code=1)
    (folder / "plan.sql").write_text("SELECT * FROM loan;")
    run(folder / "plan.sql", "--fail-from", "act")


def test_a_baseline_leaves_out_what_was_known_though_lines_move(folder: Path) -> None:
    baseline = folder / "known.json"
    baseline.write_text(run(folder / "queries", "--format", "json", code=1))
    assert "Nothing was found." in run(folder / "queries", "--baseline", baseline)
    report = folder / "queries" / "deep" / "report.sql"
    report.write_text("\n\n" + SQL.replace("code = 5", "code = 6") + "DELETE FROM loan;")
    assert of(run(folder / "queries", "--baseline", baseline, "--format", "json", code=1)) == [
        ("report.sql", 11, "change_without_condition")
    ]


def test_sarif_names_rules_levels_and_places(folder: Path) -> None:
    """Valid by the published schema, and what the standard requires besides (OASIS, SARIF 2.1.0, 3.13, 3.14, 3.19, 3.27)."""
    log = json.loads(run(folder / "queries", "--format", "sarif", code=1))
    jsonschema.Draft7Validator(json.loads(SCHEMA_2_1.read_text())).validate(log)
    assert log["version"] == "2.1.0" and log["$schema"].endswith("sarif-schema-2.1.0.json")
    (made,) = log["runs"]
    rules = made["tool"]["driver"]["rules"]
    assert {check.name for check in CHECKS} < {rule["id"] for rule in rules} and made["tool"]["driver"]["name"]
    for result in made["results"]:
        assert rules[result["ruleIndex"]]["id"] == result["ruleId"] and result["message"]["text"]
        assert result["level"] in ("none", "note", "warning", "error")
        (place,) = result["locations"]
        assert place["physicalLocation"]["artifactLocation"]["uri"].endswith("report.sql")
        assert place["physicalLocation"]["region"]["startLine"] >= 1


@pytest.mark.parametrize(
    ("more", "field"),
    [
        (["nowhere.sql"], "paths"),
        (["queries", "--schema", "nowhere.sql"], "schema"),
        (["queries", "--baseline", "schema.sql"], "baseline"),
        (["--schema", "schema.sql", "queries", "--server", "desk-a"], "server"),
        (["queries", "--server", "desk-a", "--data", "empty"], "data"),
        (["latin.sql"], "paths"),
    ],
)
def test_what_cannot_be_done_names_the_field(
    folder: Path, monkeypatch: pytest.MonkeyPatch, more: list[str], field: str
) -> None:
    monkeypatch.chdir(folder)
    (folder / "latin.sql").write_bytes("SELECT 'é'".encode("latin-1"))
    problem = json.loads(run(*more, "--format", "json", code=2))
    assert problem["field"] == field and problem["detail"]


def test_what_is_made_in_the_same_file_holds_nobody_up(tmp_path: Path) -> None:
    file = tmp_path / "new.sql"
    later = "CREATE INDEX a_b ON a (b); ALTER TABLE a ADD COLUMN c int NOT NULL;"
    file.write_text(f"CREATE TABLE a (id int PRIMARY KEY, b int); {later}")
    assert of(run(file, "--format", "json")) == []
    file.write_text(later)
    assert [check for _, _, check in of(run(file, "--format", "json", code=1))] == [
        "index_built_while_writes_wait",
        "required_column_added",
    ]


def test_a_dump_is_read_without_its_rows(tmp_path: Path) -> None:
    file = tmp_path / "dump.sql"
    file.write_text(
        "CREATE TABLE a (id int PRIMARY KEY, note text);\nCOPY a (id, note) FROM stdin;\n1\tDELETE FROM a;\n\\.\n\nDELETE FROM a;\n"
    )
    assert of(run(file, "--format", "json", code=1)) == [("dump.sql", 6, "change_without_condition")]


def test_the_recorded_schema_of_a_server(tmp_path: Path) -> None:
    """What is recorded tells types and nothing of nulls, so that nothing is said to be known of them."""
    store = Store(tmp_path / "hardy-gauge.db")
    columns = [{"name": "code", "type": "text"}, {"name": "copy", "type": "bigint"}]
    with store.write() as session:
        cluster = Cluster(name="desk")
        session.add(cluster)
        session.flush()
        server = Server(
            name="desk-a", cluster_id=cluster.id, role="single", engine="practice", engine_version="1", address="x"
        )
        session.add(server)
        session.flush()
        body = {"dialect": "postgres", "tables": [{"name": "loan", "columns": columns, "indexes": []}]}
        session.add(Snapshot(server_id=server.id, kind="schema", taken_us=1, body=body))
    store.close()
    file = tmp_path / "q.sql"
    file.write_text(
        "SELECT code FROM loan WHERE code = 5 AND copy NOT IN (SELECT copy FROM loan); SELECT count(copy) FROM loan;"
    )
    found = json.loads(run(file, "--server", "desk-a", "--data", tmp_path, "--format", "json", code=1))
    assert [one["check"] for one in found] == ["not_in_with_null", "implicit_conversion"]
    assert "may be null" in found[0]["message"]
    assert (
        "no server"
        in json.loads(run(file, "--server", "none", "--data", tmp_path, "--format", "json", code=2))["detail"]
    )
