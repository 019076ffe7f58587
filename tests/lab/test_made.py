"""Made data on a real PostgreSQL: as many rows, distinct values, common values and nulls as the statistics tell, keys that hold, and
texts proven on it against planted differences.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import psycopg
import pytest

from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.made.fill import Made, made_database
from hardy_gauge.lab.made.layouts import limits
from hardy_gauge.lab.made.parameters import Compared, compared_with, with_shared_parameters
from hardy_gauge.lab.made.proof import prove
from hardy_gauge.probes.protocol import PlannerFacts
from tests.lab.schemas import LENDING, RECORDS, VISITS, TestSchema
from tests.lab.test_twin import facts_of
from tests.lab.test_twin import server as server

pytestmark = pytest.mark.postgres
STATISTICS = "SELECT tablename, attname, null_frac, n_distinct, correlation, most_common_freqs FROM pg_stats WHERE schemaname IN ('public', 'facts')"


def known(
    server: psycopg.Connection, schema: TestSchema, name: str, keep_values: bool
) -> tuple[PlannerFacts, dict[tuple[str, str], tuple]]:  # type: ignore[type-arg]
    server.execute(f"CREATE DATABASE {name}")
    with psycopg.connect(
        host=server.info.host, port=server.info.port, user="postgres", dbname=name, autocommit=True
    ) as connection:
        connection.execute(schema.setup.encode())
        connection.execute("VACUUM ANALYZE")
        return facts_of(connection, keep_values), of(connection)


def of(connection: psycopg.Connection) -> dict[tuple[str, str], tuple]:  # type: ignore[type-arg]
    return {(row[0], row[1]): row[2:] for row in connection.execute(STATISTICS.encode()).fetchall()}


@pytest.mark.parametrize(
    ("schema", "keep_values"),
    [(LENDING, False), (VISITS, True), (VISITS, False), (RECORDS, True)],
    ids=lambda one: getattr(one, "name", str(one)),
)
def test_made_rows_have_the_statistics_of_those_there(
    server: psycopg.Connection, schema: TestSchema, keep_values: bool
) -> None:
    facts, there = known(server, schema, f"made_{schema.name}_{keep_values}".lower(), keep_values)
    with made_database(facts) as made:
        rows = {one.name.split(".")[1]: (one.rows, one.rows_there) for one in made.tables}
        filled = [name for name, (count, real) in rows.items() if count >= 0.95 * real]
        assert len(filled) >= len(rows) - (0 if keep_values else 1), made.cautions
        with made.owner() as owner:
            (broken,) = owner.execute("SELECT count(*) FROM pg_constraint WHERE NOT convalidated").fetchone() or (0,)
            here = of(owner)
    assert broken <= (0 if keep_values else 2), made.cautions
    nulls = [abs(here[key][0] - there[key][0]) for key in here if key in there]
    assert np.quantile(nulls, 0.95) < 0.02
    distinct = []
    for key in here:
        if key in there and key[0] in filled:
            counts = [(-one[1] * rows[key[0]][0]) if one[1] < 0 else one[1] for one in (here[key], there[key])]
            distinct.append(max(counts) / max(min(counts), 1))
    assert np.quantile(distinct, 0.8) < 1.5, sorted(distinct)
    if keep_values:
        common = [
            abs(here[key][3][0] - there[key][3][0]) for key in here if here[key][3] and there.get(key, (0,) * 4)[3]
        ]
        assert np.quantile(common, 0.9) < 0.03


@pytest.fixture(scope="module")
def made(server: psycopg.Connection) -> Iterator[Made]:
    facts, _ = known(server, LENDING, "proven", True)
    with made_database(facts, most_rows=40_000) as made:
        yield made


def test_a_large_database_is_made_smaller_and_small_tables_stay(made: Made) -> None:
    assert made.factor < 0.2 and sum(one.rows for one in made.tables) < 60_000
    assert all(one.rows >= 1000 for one in made.tables)


SAME = [
    ("SELECT id, due FROM loan WHERE patron = $1", "SELECT l.id, l.due FROM loan AS l WHERE l.patron IN ($1)"),
    ("SELECT DISTINCT branch FROM copy", "SELECT branch FROM copy GROUP BY branch"),
    ("SELECT id FROM loan WHERE patron = $1 ORDER BY id LIMIT 5", "SELECT id FROM loan WHERE patron = $1 ORDER BY id ASC FETCH FIRST 5 ROWS ONLY"),
    ("SELECT c.id FROM copy c WHERE EXISTS (SELECT 1 FROM loan l WHERE l.copy_id = c.id AND l.patron = $1)",
     "SELECT c.id FROM copy c WHERE c.id IN (SELECT copy_id FROM loan WHERE patron = $1)"),
    ("SELECT sum(fee::float8) FROM loan", "SELECT sum(s) FROM (SELECT patron % 7, sum(fee::float8) AS s FROM loan GROUP BY 1) AS t"),
    ("UPDATE loan SET note = 'x' WHERE patron = $1", "UPDATE loan SET note = 'x' WHERE id IN (SELECT id FROM loan WHERE patron = $1)"),
]  # fmt: skip
PLANTED = [
    ("SELECT patron FROM loan WHERE patron = $1", "SELECT DISTINCT patron FROM loan WHERE patron = $1"),  # duplicates
    ("SELECT count(*) FROM loan", "SELECT count(fee) FROM loan"),  # nulls
    ("SELECT id FROM loan WHERE fee IS NULL OR fee <> 5", "SELECT id FROM loan WHERE fee <> 5"),
    ("SELECT id FROM copy WHERE id NOT IN (SELECT copy_id FROM loan WHERE patron = $1)",
     "SELECT c.id FROM copy c JOIN loan l ON l.copy_id = c.id WHERE l.patron <> $1"),
    ("SELECT id FROM loan WHERE due >= $1", "SELECT id FROM loan WHERE due > $1"),  # a boundary
    ("DELETE FROM loan WHERE patron = $1 AND fee IS NULL", "DELETE FROM loan WHERE patron = $1"),
    ("SELECT id, note FROM loan WHERE patron = $1", "SELECT id FROM loan WHERE patron = $1"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new"), SAME)
def test_texts_that_give_the_same_are_proven_so(made: Made, old: str, new: str) -> None:
    found = prove(made, old, new, draws=6, rounds=2)
    assert found.same == "same", found.differences
    assert found.ratio is None or 0 < found.ratio.low <= found.ratio.high


@pytest.mark.parametrize(("old", "new"), PLANTED)
def test_planted_differences_are_found(made: Made, old: str, new: str) -> None:
    found = prove(made, old, new, draws=6, rounds=1)
    assert found.same == "differ" and "do not give the same" in found.sentence and found.determined, found.sentence
    assert found.old_columns != found.new_columns or any(
        one.compared.only_first or one.compared.only_second for one in found.differences
    )


def test_order_counts_where_it_is_asked_for(made: Made) -> None:
    ordered = "SELECT id FROM loan WHERE patron = $1 ORDER BY id"
    other = prove(made, ordered, "SELECT id FROM loan WHERE patron = $1 ORDER BY id DESC", draws=4, rounds=1)
    assert other.same == "another order" and "not in the same order" in other.sentence
    assert prove(made, "SELECT id FROM loan WHERE patron = $1", ordered, draws=4, rounds=1).same == "same"


def test_a_text_that_does_not_determine_its_rows_is_said(made: Made) -> None:
    """Groups come as a hash table has them, or in their order, as the planner likes."""
    loose = "SELECT note FROM loan GROUP BY note LIMIT 3"
    found = prove(made, loose, "SELECT note FROM loan GROUP BY note ORDER BY note LIMIT 3", rounds=1)
    assert found.same == "differ" and not found.determined and "does not determine its rows" in found.sentence
    strict = "SELECT note FROM loan GROUP BY note ORDER BY note LIMIT 3"
    assert prove(made, strict, loose, rounds=1).determined


def test_a_faster_text_is_shown_faster(made: Made) -> None:
    slow = "SELECT count(*) FROM loan a WHERE a.patron = $1 AND a.note IS NOT NULL AND (SELECT count(*) FROM copy c WHERE c.id <> a.id) > 0"
    found = prove(made, slow, "SELECT count(*) FROM loan WHERE patron = $1 AND note IS NOT NULL")
    assert found.same == "same" and found.ratio is not None and "is faster" in found.sentence
    assert found.ratio.ratio < 0.5 and found.ratio.high < 1


@pytest.mark.parametrize(
    ("old", "new", "part", "says"),
    [
        ("SELECT 1; SELECT 2", "SELECT 1", "old", "one query"), ("SELECT 1", "DROP TABLE loan", "new", "one query"),
        ("SELECT colour FROM loan", "SELECT 1", "old", "colour"), ("SELECT 1", "SELECT * FROM nowhere WHERE x = $1", "new", "nowhere"),
        ("SELECT 1", "SELECT FROM (", "new", "new: "), ("SELECT 1", "COPY loan TO '/tmp/x'", "new", "one query"),
        ("SELECT 1", "SELECT pg_read_file('/etc/passwd')", "new", "permission denied"),
        ("SELECT 1", "SELECT a.id FROM loan a, loan b LIMIT 300000", "new", "more than"),
    ],
)  # fmt: skip
def test_a_text_that_cannot_be_run_is_named(made: Made, old: str, new: str, part: str, says: str) -> None:
    with pytest.raises(InvalidInput, match=says) as refused:
        prove(made, old, new, draws=2, rounds=1)
    assert refused.value.field == part


def test_a_text_cannot_take_longer_than_it_may(made: Made, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hardy_gauge.lab.made.calls.LONGEST_S", 0.5)
    with pytest.raises(InvalidInput, match="took longer"):
        prove(made, "SELECT 1", "SELECT 1 FROM set_config('statement_timeout', '0', false), pg_sleep(30)", rounds=1)


def test_values_become_the_same_parameter_in_both_texts() -> None:
    old = "SELECT id FROM loan WHERE patron = 7 AND note LIKE 'a%' AND due > '2026-01-01' LIMIT 5"
    new = "SELECT id FROM loan WHERE due > '2026-01-01' AND patron IN (7, 8) LIMIT 5"
    assert with_shared_parameters([old, new]) == [
        "SELECT id FROM loan WHERE patron = $2 AND note LIKE 'a%' AND due > $1 LIMIT 5",
        "SELECT id FROM loan WHERE due > $1 AND patron IN ($2, $3) LIMIT 5",
    ]
    assert with_shared_parameters(["SELECT 1 WHERE x = $2 AND y = 4", "SELECT ("]) == [
        "SELECT 1 WHERE x = $2 AND y = 4",
        "SELECT (",
    ]


def test_what_parameters_are_compared_with() -> None:
    text = "SELECT 1 FROM loan l JOIN copy c ON c.id = l.copy_id WHERE l.patron = $2 AND c.branch IN ($1, $3) AND l.due BETWEEN $4 AND $5 LIMIT $6"
    assert sorted(compared_with(text), key=lambda one: one.number) == [
        Compared(1, "copy", "branch"), Compared(2, "loan", "patron"), Compared(3, "copy", "branch"), Compared(4, "loan", "due"),
        Compared(5, "loan", "due"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("condition", "column", "expected"),
    [
        ("((at IS NOT NULL) AND (at >= '2025-01-01'::date) AND (at < '2026-01-01'::date))", "at", ("2025-01-01", "2026-01-01", [])),
        ("((n IS NOT NULL) AND (n >= 10))", "n", ("10", None, [])), ("((kind = ANY (ARRAY['a'::text, 'b''s'::text])))", "kind", (None, None, ["a", "b''s"])),
        ("(satisfies_hash_partition('16384'::oid, 2, 0, id))", "id", (None, None, [])),
    ],
)  # fmt: skip
def test_limits_of_a_partition(condition: str, column: str, expected: tuple[object, ...]) -> None:
    assert limits(condition, column) == expected
