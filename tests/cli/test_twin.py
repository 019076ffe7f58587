"""``hardy-gauge twin`` from a bundle and from a server of the fleet, as docs/plans.md says."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from typer.testing import CliRunner

from hardy_gauge.cli.capture import SECRET
from hardy_gauge.cli.main import app
from tests import postgres

pytestmark = pytest.mark.postgres
QUERIES = (
    "SELECT * FROM loan WHERE patron = 3;\n-- the next\nSELECT * FROM nothing;\nUPDATE loan SET note = '' WHERE id = 7;"
)


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with postgres.watched_postgres() as made:
        yield made


def run(*words: object, code: int = 0, secret: str = "") -> str:
    result = CliRunner().invoke(app, [str(one) for one in words], env={SECRET: secret})
    assert result.exit_code == code, result.output
    return result.output


def test_from_a_bundle_and_from_a_server(watched: tuple[psycopg.Connection, str], tmp_path: Path) -> None:
    owner, address = watched
    sql, bundle, data = tmp_path / "q.sql", tmp_path / "loans.bundle", tmp_path / "data"
    sql.write_text(QUERIES)
    account = ["--target", address, "--user", "gauge", "--plain-text", "--for", "4s"]
    run("capture", *account, "--out", bundle, secret=postgres.SECRET)
    run("capture", *account, "--data", data, secret=postgres.SECRET)
    for source in (["--bundle", bundle], ["--server", "reading-room", "--data", data]):
        folder = tmp_path / source[0].strip("-")
        made = json.loads(run("twin", "make", *source, "--out", folder, "--json"))
        assert (made["server"], made["tables"], made["values"]) == ("reading-room", 1, "replaced")
        answer = json.loads(
            run("twin", "explain", folder, "--sql", sql, "--index", "loan(patron)", "--rows", "loan=×10", "--json")
        )
        first, second, third = answer["statements"]
        assert (first["indexes"], first["line"], first["problem"]) == (["loan(patron)"], 1, "")
        assert first["rows"] == pytest.approx(200, rel=0.1), "20 loans each of 1,000 patrons, ten times as many rows"
        assert second["plan"] is None and "nothing" in second["problem"] and second["line"] == 3
        assert third["indexes"] == ["loan_pkey"] and third["plan"]["Node Type"] == "ModifyTable"
        assert (
            answer["made_up"][0]["asked"] == "loan(patron)"
            and "values inside statistics were replaced" in answer["cautions"][0]
        )
        words = run("twin", "explain", folder, "--sql", sql)
        assert "read all of loan (20 rows)" in words and "no plan: relation" in words
        run("twin", "remove", folder)
        # another text for a statement, on rows that are made
        old, new, other = (tmp_path / name for name in ("old.sql", "new.sql", "other.sql"))
        old.write_text("SELECT id, note FROM loan WHERE patron = 3;")
        new.write_text("SELECT l.id, l.note FROM loan AS l WHERE l.patron IN (3)")
        other.write_text("SELECT id, note FROM loan WHERE patron >= 3")
        proof = json.loads(run("prove", old, new, *source, "--json"))
        assert proof["same"] == "same" and proof["rows"] > 0 and proof["tables"][0]["rows"] == 20_000
        assert any("drawn anew" in one for one in proof["cautions"])
        assert "more in the new" in run("prove", old, other, *source, code=1)
        problem = json.loads(run("prove", old, sql, *source, "--json", code=2))
        assert problem["field"] == "new" and "3 statements" in problem["detail"]
        assert not folder.exists()
    assert owner.execute("SELECT count(*) FROM loan").fetchone() == (20_000,)


@pytest.mark.parametrize(
    ("words", "field"),
    [
        (["make", "--out", "x"], "server"),
        (["make", "--bundle", "nothing", "--out", "x"], "bundle"),
        (["make", "--server", "nobody", "--out", "x"], "server"),
        (["explain", "nothing", "--sql", "q.sql"], "folder"),
        (["explain", "nothing", "--sql", "missing.sql"], "sql"),
        (["explain", "nothing", "--sql", "q.sql", "--rows", "loan"], "rows"),
        (["explain", "nothing", "--sql", "q.sql", "--rows", "loan=many"], "rows"),
        (["explain", "nothing", "--sql", "q.sql", "--setting", "work_mem"], "setting"),
    ],
)
def test_what_is_wrong_is_named(words: list[str], field: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "q.sql").write_text("SELECT 1")
    monkeypatch.setenv("HARDY_GAUGE_DATA", str(tmp_path / "data"))
    answer = json.loads(run("twin", *words, "--json", code=2))
    assert answer["field"] == field and answer["detail"]
