"""A twin against the server it is made of: the same shape of plan, the same estimates, for real statements on a real PostgreSQL."""

from __future__ import annotations

import json
import os
import random
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psutil
import psycopg
import pytest

from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.lab.instance import remove_leftovers
from hardy_gauge.lab.twin import asking
from hardy_gauge.lab.twin.asking import Twin, WhatIf, index_command, open_twin, with_parameters
from hardy_gauge.lab.twin.make import make_twin, remove_twin
from hardy_gauge.lab.twin.relation_files import length, lengthen, resize, tree_height
from hardy_gauge.probes import outbound
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import FORMAT
from hardy_gauge.probes.sqlpack.postgresql.replaced_values import join_array, split_array
from hardy_gauge.probes.sqlpack.probe import SqlPackProbe
from tests.lab.schemas import LENDING, SCHEMAS, TestSchema, drawn
from tests.postgres import running_postgres

pytestmark = pytest.mark.postgres
EACH = 5  # statements drawn of each template
NEAR = 1.1
SIZE = "SELECT sum(pg_relation_size(relid)) FROM (SELECT relid FROM pg_partition_tree(%s) UNION SELECT %s::regclass) AS t(relid)"


def facts_of(connection: psycopg.Connection, keep_values: bool) -> PlannerFacts:
    address = f"postgresql:///{connection.info.dbname}?host={connection.info.host}&port={connection.info.port}"
    outbound.policy().name([address])
    probe = SqlPackProbe(address, credential=Credential("gauge", "x", True, None))
    try:
        return probe.planner_facts(keep_values)
    finally:
        probe.close()


@pytest.fixture(scope="module")
def server() -> Iterator[psycopg.Connection]:
    with running_postgres("-c random_page_cost=1.6 -c work_mem=2MB") as connection:
        connection.execute("CREATE ROLE gauge LOGIN; GRANT pg_monitor, pg_read_all_data TO gauge")
        yield connection


@pytest.fixture(params=SCHEMAS, ids=lambda one: one.name, scope="module")
def made(server: psycopg.Connection, request: Any) -> Iterator[tuple[TestSchema, psycopg.Connection, Path]]:
    """Each schema in a database of its own, with its twin."""
    schema: TestSchema = request.param
    server.execute(f"CREATE DATABASE {schema.name}")
    folder = Path(tempfile.mkdtemp(prefix="twin-of-tests-"))
    folder.chmod(0o700)  # user postgres may not go in
    with psycopg.connect(
        host=server.info.host, port=server.info.port, user="postgres", dbname=schema.name, autocommit=True
    ) as connection:
        connection.execute("SELECT setseed(0.4)")
        connection.execute(schema.setup.encode())
        connection.execute("VACUUM ANALYZE")
        described = make_twin(facts_of(connection, True), "reading-room", folder / "twin")
        assert not described.cautions
        yield schema, connection, folder / "twin"
    remove_twin(folder / "twin")
    assert not Path(described.instance).exists()


def plan_of(connection: psycopg.Connection, text: str) -> dict[str, Any]:
    if "$1" in text:
        count = text.count("$")
        connection.execute("SET plan_cache_mode = force_generic_plan")
        connection.execute(f"PREPARE one AS {text}".encode())
        (document,) = connection.execute(
            f"EXPLAIN (FORMAT JSON) EXECUTE one ({', '.join(['NULL'] * count)})".encode()
        ).fetchone() or ([],)
        connection.execute("DEALLOCATE one")
    else:
        (document,) = connection.execute(b"EXPLAIN (FORMAT JSON) " + text.encode()).fetchone() or ([],)
    plan: dict[str, Any] = document[0]["Plan"]
    return plan


def shape(plan: dict[str, Any]) -> Any:
    below = tuple(shape(one) for one in plan.get("Plans", []))
    return plan["Node Type"], plan.get("Relation Name"), plan.get("Index Name"), plan.get("Join Type"), below


def rows(plan: dict[str, Any]) -> Iterator[float]:
    yield plan["Plan Rows"]
    for one in plan.get("Plans", []):
        yield from rows(one)


def compared(real: dict[str, Any], asked: dict[str, Any]) -> tuple[bool, bool]:
    """Whether the shape is the same, and whether the rows of every step are within a tenth."""
    if shape(real) != shape(asked):
        return False, False
    pairs = zip(rows(real), rows(asked), strict=True)
    return True, all(max(a, b) <= NEAR * max(1, min(a, b)) for a, b in pairs)


def statements(schema: TestSchema, connection: psycopg.Connection) -> list[str]:
    chance = random.Random(7)
    return [drawn(one, connection, chance) for one in schema.statements for _ in range(EACH if "{" in one else 1)]


def judge(found: list[tuple[str, bool, bool]]) -> None:
    """At least 95% of each, as the issue of the twin asks."""
    other = [text for text, same, _ in found if not same]
    off = [text for text, _, near in found if not near]
    assert len(other) <= 0.05 * len(found), other
    assert len(off) <= 0.05 * len(found), off


def test_it_plans_as_the_server_does(made: tuple[TestSchema, psycopg.Connection, Path]) -> None:
    schema, connection, folder = made
    texts = statements(schema, connection)
    assert len(texts) >= 50
    with open_twin(folder) as twin:
        found = []
        for text in texts:
            answer = twin.plan(text)
            assert answer.plan is not None, (text, answer.problem)
            real = plan_of(connection, text)
            found.append((text, *compared(real, answer.plan)))
    judge(found)


def test_it_plans_with_an_index_as_the_server_does_when_that_is_built(
    made: tuple[TestSchema, psycopg.Connection, Path],
) -> None:
    schema, connection, folder = made
    texts, found = statements(schema, connection), []
    with open_twin(folder) as twin:
        before = [twin.plan(text).plan for text in texts]
        for index in schema.indexes:
            with twin.what_if(WhatIf(indexes=[index])) as made_up:
                answers = [twin.plan(text) for text in texts]
                assert not [one.problem for one in answers if one.problem]
                asked = [one.plan for one in answers]
            connection.execute(index_command(index, "made_up_1").encode())
            name = f"{'facts.' if '.' in index else ''}made_up_1"
            (size,) = connection.execute(SIZE, [name, name]).fetchone() or (0,)
            real = [plan_of(connection, text) for text in texts]
            connection.execute(f"DROP INDEX {name}")
            assert made_up[0].bytes == pytest.approx(float(size), rel=0.25, abs=65_536), index
            for text, one, there, was in zip(texts, asked, real, before, strict=True):
                assert one is not None and was is not None
                if shape(there) != shape(was):  # those that the index changes
                    found.append((f"{index}: {text}", *compared(_unnamed(there), _unnamed(one))))
        assert [twin.plan(text).plan for text in texts] == before, "what was made up is gone again"
    assert len(found) >= 8
    judge(found)


def _unnamed(plan: dict[str, Any]) -> dict[str, Any]:
    """Indexes of partitions get names by the table, which differ."""
    made = {"Plans": [_unnamed(one) for one in plan["Plans"]]} if "Plans" in plan else {}
    return plan | made | ({"Index Name": "index"} if "Index Name" in plan else {})


@pytest.fixture(scope="module")
def lending(
    server: psycopg.Connection, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[tuple[psycopg.Connection, Path]]:
    server.execute("CREATE DATABASE again")
    with psycopg.connect(
        host=server.info.host, port=server.info.port, user="postgres", dbname="again", autocommit=True
    ) as connection:
        connection.execute(LENDING.setup.encode())
        connection.execute("CREATE STATISTICS together (dependencies, ndistinct) ON branch, state FROM copy")
        connection.execute("VACUUM ANALYZE")
        folder = tmp_path_factory.mktemp("again") / "twin"
        make_twin(facts_of(connection, False), "reading-room", folder)
        yield connection, folder
    remove_twin(folder)


def test_replaced_values_keep_orders_and_joins_and_nothing_of_the_rows(
    lending: tuple[psycopg.Connection, Path],
) -> None:
    connection, folder = lending
    given = facts_of(connection, False)
    kept = facts_of(connection, True)
    texts = json.dumps(given.document["statistics"])
    assert "title 1" not in texts and "2026-01" not in texts and "title 1" in json.dumps(kept.document["statistics"])
    for one, real in zip(given.document["statistics"], kept.document["statistics"], strict=True):
        if real["histogram"] is not None and one["type"] in ("integer", "date", "numeric"):
            assert [float(v) if "-" not in v else v for v in split_array(one["histogram"])] == sorted(  # type: ignore[operator]
                float(v) if "-" not in v else v
                for v in split_array(one["histogram"])  # type: ignore[operator]
            )
            assert len(split_array(one["histogram"])) == len(split_array(real["histogram"]))
    with open_twin(folder) as twin:
        text = "SELECT count(*) FROM loan l JOIN copy c ON c.id = l.copy_id"
        answer = twin.plan(text)
        assert answer.plan is not None and compared(plan_of(connection, text), answer.plan) == (True, True)
        # a value means nothing here: planned for any
        answer = twin.plan("SELECT * FROM loan WHERE patron = 17")
        generic = plan_of(connection, "SELECT * FROM loan WHERE patron = $1")
        assert answer.plan is not None and not answer.for_values and compared(generic, answer.plan) == (True, True)
    described = json.loads((folder / "twin.json").read_text())
    assert any("values inside statistics were replaced" in one for one in described["cautions"])
    assert any("public.together" in one for one in described["cautions"]), "what the account may not read is said"


@pytest.fixture
def twin(lending: tuple[psycopg.Connection, Path]) -> Iterator[Twin]:
    with open_twin(lending[1]) as one:
        yield one


def test_more_rows_fewer_rows_drops_and_settings(twin: Twin) -> None:
    text = "SELECT * FROM copy"
    before = twin.plan(text).plan
    assert before is not None
    for factor in (10, 0.1):
        with twin.what_if(WhatIf(rows={"copy": factor})):
            larger = twin.plan(text).plan
            assert larger is not None and larger["Plan Rows"] == pytest.approx(before["Plan Rows"] * factor, rel=0.02)
            assert larger["Total Cost"] == pytest.approx(before["Total Cost"] * factor, rel=0.02)
    with twin.what_if(WhatIf(drops=["copy_pkey"])):
        assert (twin.plan("SELECT * FROM copy WHERE id = 4").plan or {})["Node Type"] == "Seq Scan"
    with pytest.raises(InvalidInput, match="there is no index of_nobody"):
        twin.switch([], ["of_nobody"])
    with twin.what_if(WhatIf(settings={"enable_indexscan": "off", "enable_bitmapscan": "off"})):
        assert (twin.plan("SELECT * FROM copy WHERE id = 4").plan or {})["Node Type"] == "Seq Scan"
    assert (
        twin.plan(text).plan == before
        and "Index" in (twin.plan("SELECT * FROM copy WHERE id = 4").plan or {})["Node Type"]
    )


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (WhatIf(indexes=["copy(nothing)"]), 'index: column "nothing" does not exist'),
        (WhatIf(indexes=["copy(id)); DROP TABLE copy; --"]), "is not such as table"),
        (WhatIf(indexes=["copy(id); SELECT 1"]), "is not such as table"),
        (WhatIf(drops=["copy"]), "drop: there is no index copy"),
        (WhatIf(rows={"nothing": 2.0}), "rows: there is no table nothing"),
        (WhatIf(rows={"copy": 0.0}), "rows: the factor of copy"),
        (WhatIf(settings={"work_mem": "much"}), "setting: invalid value"),
    ],
)  # fmt: skip
def test_what_cannot_be_imagined_is_said(twin: Twin, given: WhatIf, said: str) -> None:
    with pytest.raises(InvalidInput, match=said), twin.what_if(given):
        pass
    assert twin.plan("SELECT 1 FROM copy").plan is not None, "it goes on"


def test_no_more_files_than_a_disk_has_room_for(twin: Twin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(asking, "MOST_FILES", 10)
    before = twin.plan("SELECT * FROM loan").plan
    with (
        pytest.raises(InvalidInput, match="rows: loan would be larger than 10 GB"),
        twin.what_if(WhatIf(rows={"loan": 1e6})),
    ):
        pass
    assert twin.plan("SELECT * FROM loan").plan == before


def test_what_cannot_be_planned_is_said_and_nothing_is_run(twin: Twin) -> None:
    assert 'relation "nothing" does not exist' in twin.plan("SELECT * FROM nothing").problem
    assert "syntax error" in twin.plan("SELEC 1").problem
    for text in ("SELECT 1; SELECT 2", "COPY copy TO '/tmp/x'", "SELECT 1); DROP TABLE copy; --", "DROP TABLE copy"):
        assert twin.plan(text).plan is None, text
    assert "permission denied" in twin.plan("SELECT pg_read_file('/etc/passwd')").problem
    assert twin.plan("SELECT 1 FROM copy").plan is not None


def test_facts_that_are_none_and_folders_that_are_taken(tmp_path: Path) -> None:
    with pytest.raises(InvalidInput, match="bundle: it holds no planner facts"):
        make_twin(PlannerFacts(at_us=1, values="kept", document={}, left_out=[]), "a", tmp_path / "twin")
    (tmp_path / "file").write_text("x")
    document = {"format": FORMAT, "block_size": 8192}
    with pytest.raises(Conflict, match="not an empty folder"):
        make_twin(PlannerFacts(at_us=1, values="kept", document=document, left_out=[]), "a", tmp_path)


def test_arrays_are_read_as_they_are_written() -> None:
    for values in ([], ["a"], ['say "x"', "back\\slash", "a,b", "", None, "NULL", "{}"]):
        assert split_array(join_array(values)) == values
    assert split_array('{1,NULL,"NULL","a b",c}') == ["1", None, "NULL", "a b", "c"]


def test_values_become_parameters() -> None:
    assert (
        with_parameters("SELECT a FROM t WHERE b = 'x' AND c > 1.5 AND d = $2")
        == "SELECT a FROM t WHERE b = $3 AND c > $4 AND d = $2"
    )


def test_heights_of_trees() -> None:
    """After what ``bt_metap`` of pageinspect says of trees over int4: 1 page is a root, 274 pages have one level above them."""
    assert [tree_height(pages, 4.0) for pages in (1, 2, 200, 500, 80_000)] == [0, 0, 1, 2, 2]


def test_leftovers_of_makers_that_are_gone_are_removed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    for name, process in (("hardy-gauge-lab-a", 2**22 + 1), ("hardy-gauge-lab-b", os.getpid())):
        (tmp_path / name).mkdir()
        began = psutil.Process().create_time()
        (tmp_path / name / "owner.json").write_text(json.dumps({"process": process, "began": began}))
    assert remove_leftovers() == [str(tmp_path / "hardy-gauge-lab-a")] and (tmp_path / "hardy-gauge-lab-b").exists()


def test_a_hostile_bundle_makes_nothing_but_tables(tmp_path: Path, lending: tuple[psycopg.Connection, Path]) -> None:
    """Definitions, settings and names of a foreign file: commands of the system, files, superusers' rights, other settings."""
    marked = tmp_path / "marked"
    facts = facts_of(lending[0], True)
    document = json.loads(json.dumps(facts.document))
    becomes = "BEGIN PERFORM set_config('role', 'lab', false); RETURN 1; END"
    document["definitions"] = [
        {"what": "a", "sql": f"COPY (SELECT 1) TO PROGRAM 'touch {marked}'"},
        {"what": "b", "sql": "CREATE TABLE taken AS SELECT pg_read_file('/etc/passwd')"},
        {"what": "c", "sql": "CREATE TABLE taken (a) as (select 1)"},
        {"what": "d", "sql": "CREATE TABLE one (a int); CREATE ROLE evil SUPERUSER"},
        {"what": "e", "sql": "ALTER TABLE pg_catalog.pg_authid ADD COLUMN b int"},
        {"what": "f", "sql": "CREATE OR REPLACE FUNCTION run() RETURNS int LANGUAGE plpython3u AS 'import os'"},
        {
            "what": "g",
            "sql": f"CREATE OR REPLACE FUNCTION high() RETURNS int IMMUTABLE LANGUAGE plpgsql AS $$ {becomes} $$",
        },
        {"what": "h", "sql": "CREATE TABLE good (a int)"},
        {"what": "i", "sql": "DO $$ BEGIN PERFORM 1; END $$"},
    ]
    document["settings"] = {
        "archive_mode": "on", "archive_command": f"touch {marked}", "work_mem": "8MB", "seq_page_cost": "1\nfsync = on",
    }  # fmt: skip
    document["extensions"] = [{"name": name, "schema": "public"} for name in ("file_fdw", "dblink", 'x"; DROP')]
    document["encoding"] = "UTF8' LC_CTYPE 'C"
    document |= {"statistics": [], "extended": [], "relations": [], "keys": {}}
    with pytest.raises(InvalidInput, match="bundle: what its planner knows is not as expected"):
        make_twin(facts.model_copy(update={"document": document}), "foreign", tmp_path / "wrong")
    assert not (tmp_path / "wrong").exists(), "nothing is left"
    document["encoding"] = "UTF8"
    folder = tmp_path / "twin"
    described = make_twin(facts.model_copy(update={"document": document}), "foreign", folder)
    try:
        undone = {one.split(":")[0] for one in described.cautions}
        assert {*"abcdefi", "extension file_fdw", "extension dblink", "setting archive_command"} <= undone
        written = (Path(described.instance) / "data" / "postgresql.conf").read_text()
        assert "work_mem = '8MB'" in written and str(marked) not in written
        with open_twin(folder) as twin:
            assert twin.plan("SELECT * FROM good").plan is not None
            assert "does not exist" in twin.plan("SELECT * FROM taken").problem
            assert twin.plan("SELECT high() FROM good").plan is None, "it may not become somebody else"
            with (
                pytest.raises(InvalidInput, match="index:"),
                twin.what_if(WhatIf(indexes=["good(a) WHERE high() = a"])),
            ):
                pass
            rows = twin._connection.execute("SELECT rolname FROM pg_roles WHERE rolsuper").fetchall()
            assert rows == [("lab",)]
    finally:
        remove_twin(folder)
    assert not marked.exists()


def test_facts_of_tables_beyond_any_disk_are_refused(tmp_path: Path, lending: tuple[psycopg.Connection, Path]) -> None:
    facts = facts_of(lending[0], True)
    for one in facts.document["relations"]:
        one["blocks"] = 2**44
    with pytest.raises(InvalidInput, match="larger than"):
        make_twin(facts, "large", tmp_path / "twin")


def test_files_of_several_segments(tmp_path: Path) -> None:
    first = tmp_path / "16384"
    first.touch()
    lengthen(first, 300_000)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["16384", "16384.1", "16384.2"]
    assert length(first) == 300_000
    assert sum(path.stat().st_blocks for path in tmp_path.iterdir()) < 100, "they take no room"
    resize(first, 140_000)
    assert length(first) == 140_000 and not (tmp_path / "16384.2").exists()
    resize(first, 10)
    assert [path.name for path in tmp_path.iterdir()] == ["16384"] and length(first) == 10
