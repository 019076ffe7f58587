"""What a made PostgreSQL is filled with from outside: dumps that the engine's own program just wrote, and CSV files; and what is refused."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from hardy_gauge.lab.instance import PORT, SUPERUSER, Instance
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.postgres.made import PostgresTarget
from hardy_gauge.load.targets import open_target

pytestmark = [pytest.mark.postgres, pytest.mark.timeout(300)]
THERE = """
CREATE ROLE keeper;
CREATE TABLE branch (id int PRIMARY KEY, name text);
CREATE TABLE loan (id bigint PRIMARY KEY, branch int REFERENCES branch, note text, due date, tags text[]);
INSERT INTO branch SELECT i, 'branch ' || i FROM generate_series(1, 7) i;
INSERT INTO loan SELECT i, i % 7 + 1, CASE WHEN i % 3 = 0 THEN E'a\\ttab; and \\\\ "quote"\\nline' END, DATE '2026-01-01' + i % 90, ARRAY['x', NULL]
  FROM generate_series(1, 5000) i;
CREATE FUNCTION late(day date) RETURNS boolean LANGUAGE plpgsql AS $$ BEGIN
  RETURN day < DATE '2026-03-01';
END $$;
CREATE INDEX loan_due ON loan (due) WHERE late(due) IS NOT NULL;
ALTER TABLE branch OWNER TO keeper;
GRANT SELECT ON loan TO PUBLIC;
"""


@pytest.fixture(scope="module")
def server() -> Iterator[Instance]:
    made = Instance.made(programs_for())
    try:
        made.start()
        with made.connect() as owner:
            owner.execute("CREATE DATABASE library")
        with made.connect("library") as owner:
            # an index wants a function that does not change; the one of the dump is made so
            owner.execute(THERE.replace("LANGUAGE plpgsql AS", "LANGUAGE plpgsql IMMUTABLE AS").encode())
        yield made
    finally:
        made.remove()


def dumped(server: Instance, path: Path, *options: str) -> Path:
    done = subprocess.run(
        [server.programs.path("pg_dump"), "-h", server.host, "-p", str(PORT), "-U", SUPERUSER, *options, "library"],
        capture_output=True, check=True, cwd="/", **server.run_as(),
    )  # fmt: skip
    path.write_bytes(done.stdout)
    return path


def design(**place: Any) -> Any:
    return read_design(
        {
            "title": "on data from outside", "goal": {"metric": "mean", "at_most": "1 s"}, "target": {"postgresql": place},
            "workload": {"arrival": {"kind": "closed", "workers": 1}, "statements": [{"sql": "SELECT count(*) FROM loan WHERE branch = 3"}]},
            "arms": [{"name": "one"}, {"name": "two", "settings": {"work_mem": "8MB"}}], "run": {"seconds": "1 s", "blocks": 2},
        }
    )  # fmt: skip


def rows_of(place: dict[str, Any], *queries: str) -> tuple[list[Any], list[str]]:
    """What queries give on the data of the first arm, and the cautions of a run."""
    target = open_target(design(**place), None)
    assert isinstance(target, PostgresTarget)
    try:
        with target._copy_of("one") as (one, _), one.connect(target._database) as owner:
            found = [owner.execute(query.encode()).fetchall() for query in queries]
        frame = target.run(design(**place).arms[0], 0.3, 1, lambda _: True)
        assert len(frame) and not frame["failed"].any()
        return found, list(target.observed().cautions)
    finally:
        target.close()


ALL = "SELECT count(*), md5(string_agg(t::text, '|' ORDER BY id)) FROM loan t"
INDEXES = "SELECT indexrelid::regclass::text FROM pg_index WHERE indrelid = 'loan'::regclass ORDER BY 1"


@pytest.mark.parametrize("options", [(), ("--inserts",), ("--format=custom",), ("--clean", "--if-exists")])
def test_a_dump_gives_what_was_there(server: Instance, tmp_path: Path, options: tuple[str, ...]) -> None:
    path = dumped(server, tmp_path / "library.dump", *options)
    found, cautions = rows_of({"dump": str(path)}, ALL, INDEXES, "SELECT late(DATE '2026-02-01')")
    with server.connect("library") as owner:
        assert found[0] == owner.execute(ALL.encode()).fetchall() and found[0][0][0] == 5000
    assert found[1] == [("loan_due",), ("loan_pkey",)] and found[2] == [(True,)]
    said = "owners and rights of the dump are left out" in cautions
    assert said or "--format=custom" in options


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (b"CREATE TABLE loan (id int);\n\\! touch /tmp/made-by-a-dump\n", "syntax error"),
        (b"COPY loan TO PROGRAM 'touch /tmp/made-by-a-dump';\n", "COPY"),
        (b"CREATE TABLE loan (id int);\nCOPY loan (id) FROM '/etc/passwd';\n", "permission denied|must be superuser"),
        (b"CREATE TABLE loan (id int);\nCOPY loan (id) FROM stdin;\nx\n\\.\n", "invalid input syntax"),
        (b"ALTER SYSTEM SET archive_command = 'touch /tmp/made-by-a-dump';\n", "permission denied|must be superuser"),
        (b"PGDMP not really", "pg_restore|archive"),
        (b"\xff\xfe\x00", "neither SQL in UTF-8 nor a dump"),
    ],
)
def test_what_is_no_dump_or_wants_too_much_is_refused(tmp_path: Path, text: bytes, words: str) -> None:
    path = tmp_path / "bad.dump"
    path.write_bytes(text)
    with pytest.raises(BadTrial, match=words) as caught:
        open_target(design(dump=str(path)), None)
    assert caught.value.field == "target.postgresql.dump" and not Path("/tmp/made-by-a-dump").exists()


def test_a_dump_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(BadTrial, match="No such file"):
        open_target(design(dump=str(tmp_path / "none.dump")), None)
    with pytest.raises(BadTrial, match="exactly one of"):
        design(dump="x", sample="library")


def test_csv_files_go_into_tables_of_their_names(tmp_path: Path) -> None:
    """Tables that are there keep their types; one that is not is made with the types that its rows tell; what others refer to comes first."""
    (tmp_path / "1.sql").write_text(
        "CREATE TABLE z_branch (id int PRIMARY KEY, name text); CREATE TABLE loan (id int, branch int REFERENCES z_branch, note text);"
    )
    (tmp_path / "z_branch.csv").write_text('name,id\n"Quay, north",3\nHill,4\n')
    (tmp_path / "loan.csv").write_text('id,branch,note\n1,3,"a ""b"""\n2,4,\n')
    (tmp_path / "visit.csv").write_text("day,people,share,open,who\n2026-01-01,7,0.5,true,x\n2026-01-02,,1,false,\n")
    types = "SELECT column_name, data_type FROM information_schema.columns WHERE table_name = 'visit' ORDER BY ordinal_position"
    found, _ = rows_of({"folder": str(tmp_path)}, "SELECT b.name, note FROM loan JOIN z_branch b ON b.id = branch ORDER BY loan.id", types, "SELECT sum(people), count(who) FROM visit")  # fmt: skip
    assert found[0] == [("Quay, north", 'a "b"'), ("Hill", None)]
    kinds = ["date", "bigint", "double precision", "boolean", "text"]
    assert [kind for _, kind in found[1]] == kinds and found[2] == [(7, 1)]
    (tmp_path / "loan.csv").write_text("id,branch,note\n1,99,x\n")
    with pytest.raises(BadTrial, match=r"loan\.csv: .*foreign key"):
        open_target(design(folder=str(tmp_path)), None)


def test_a_folder_of_neither(tmp_path: Path) -> None:
    with pytest.raises(BadTrial, match=r"holds no \.sql or \.csv file"):
        open_target(design(folder=str(tmp_path)), None)
