"""Each check of a text: one that trips it, and one that must not."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.core.checks.check import GRADES
from hardy_gauge.core.checks.registry import CHECKS, checked
from hardy_gauge.core.checks.statement import ColumnShape, TableShape
from hardy_gauge.core.sql.predicates import Unreadable


def table(**columns: str) -> TableShape:
    """Columns with their type; one that ends in "!" cannot be null."""
    return TableShape({name: ColumnShape(kind.rstrip("!"), not kind.endswith("!")) for name, kind in columns.items()})


SCHEMA = {
    "loan": table(
        id="bigint!", patron="bigint!", copy="bigint", due="timestamp", code="varchar(20)", weight="real", note="text"
    ),
    "patron": table(id="bigint!", name="text!", branch="int"),
}
LONG = ", ".join(str(n) for n in range(120))
ROWS = ", ".join(f"({n})" for n in range(1100))
CASES: dict[str, tuple[list[str], list[str]]] = {
    "all_columns": (
        ["SELECT * FROM loan WHERE id = 1", "SELECT l.* FROM loan l WHERE id = 1"],
        ["SELECT id, due FROM loan", "SELECT count(*) FROM loan", "SELECT id FROM patron p WHERE EXISTS (SELECT * FROM loan WHERE patron = p.id)"],
    ),
    "insert_without_columns": (["INSERT INTO loan VALUES (1, 2)"], ["INSERT INTO loan (id, patron) VALUES (1, 2)"]),
    "column_numbers": (["SELECT name, branch FROM patron ORDER BY 2", "SELECT branch, count(*) FROM patron GROUP BY 1"], ["SELECT name FROM patron ORDER BY name LIMIT 2"]),
    "repeated_column": (["SELECT id, name, id FROM patron"], ["SELECT id, name FROM patron"]),
    "change_without_condition": (["DELETE FROM loan", "UPDATE loan SET note = ''"], ["DELETE FROM loan WHERE id = 1", "UPDATE loan SET note = '' FROM patron WHERE patron.id = loan.patron"]),
    "condition_always_true": (["SELECT id FROM loan WHERE 1 = 1 AND id = 3", "SELECT id FROM loan WHERE id = id"], ["SELECT id FROM loan WHERE id = patron"]),
    "truncate": (["TRUNCATE TABLE loan"], ["DELETE FROM loan WHERE id < 5"]),
    "limit_without_order": (["SELECT id FROM loan LIMIT 20"], ["SELECT id FROM loan ORDER BY id LIMIT 20", "SELECT id FROM loan WHERE id = 4 LIMIT 1"]),
    "function_on_column": (["SELECT id FROM patron WHERE lower(name) = 'ada'", "SELECT id FROM loan WHERE date_trunc('day', due) = '2026-01-01'"], ["SELECT id FROM patron WHERE name = lower('ADA')", "SELECT id FROM loan WHERE due < now()"]),
    "calculation_on_column": (["SELECT id FROM loan WHERE id + 1 = 5"], ["SELECT id FROM loan WHERE id = 5 - 1"]),
    "cast_of_column": (["SELECT id FROM loan WHERE due::date = '2026-01-01'", "SELECT id FROM loan WHERE CAST(code AS int) = 5"], ["SELECT id FROM loan WHERE due >= CAST('2026-01-01' AS date)"]),
    "open_pattern": (["SELECT id FROM patron WHERE name LIKE '%son'"], ["SELECT id FROM patron WHERE name LIKE 'son%'", "SELECT id FROM patron WHERE name LIKE $1"]),
    "pattern_without_wildcard": (["SELECT id FROM patron WHERE name LIKE 'ada'"], ["SELECT id FROM patron WHERE name LIKE 'ada%'"]),
    "compared_with_null": (["SELECT id FROM loan WHERE note = NULL", "SELECT id FROM loan WHERE note <> NULL"], ["SELECT id FROM loan WHERE note IS NULL", "UPDATE loan SET note = NULL WHERE id = 1"]),
    "not_in_with_null": (["SELECT id FROM patron WHERE id NOT IN (SELECT copy FROM loan)", "SELECT id FROM patron WHERE id NOT IN (1, NULL)"], ["SELECT id FROM patron WHERE id NOT IN (SELECT patron FROM loan)", "SELECT id FROM patron WHERE id NOT IN (SELECT copy FROM loan WHERE NOT copy IS NULL)", "SELECT id FROM patron WHERE id NOT IN (1, 2)"]),
    "or_over_columns": (["SELECT id FROM loan WHERE patron = 1 OR copy = 2"], ["SELECT id FROM loan WHERE patron = 1 OR patron = 2"]),
    "or_of_one_column": (["SELECT id FROM loan WHERE id = 1 OR id = 2 OR id = 3"], ["SELECT id FROM loan WHERE id = 1 OR id = 2"]),
    "implicit_conversion": (["SELECT id FROM loan WHERE code = 5"], ["SELECT id FROM loan WHERE code = '5'", "SELECT id FROM loan WHERE patron = 5"]),
    "optional_parameter": (["SELECT id FROM loan WHERE ($1 IS NULL OR patron = $1)"], ["SELECT id FROM loan WHERE (note IS NULL OR patron = $1)"]),
    "cross_join": (["SELECT l.id FROM loan l, patron p WHERE l.id = 1", "SELECT a.id FROM loan a JOIN loan b ON a.id = b.id, patron p WHERE p.id = 3"], ["SELECT l.id FROM loan l, patron p WHERE l.patron = p.id", "SELECT l.id FROM loan l CROSS JOIN patron p", "SELECT l.id FROM loan l JOIN patron p USING (id)"]),
    "comma_beside_join": (["SELECT a.id FROM loan a, patron p JOIN loan b ON b.patron = p.id WHERE a.id = b.id"], ["SELECT a.id FROM loan a, patron p WHERE a.patron = p.id"]),
    "natural_join": (["SELECT name FROM patron NATURAL JOIN loan"], ["SELECT name FROM patron JOIN loan ON loan.patron = patron.id"]),
    "distinct_hides_join": (["SELECT DISTINCT p.id, p.name FROM patron p JOIN loan l ON l.patron = p.id"], ["SELECT DISTINCT p.id, l.due FROM patron p JOIN loan l ON l.patron = p.id", "SELECT DISTINCT name FROM patron"]),
    "outer_join_undone": (["SELECT p.id FROM patron p LEFT JOIN loan l ON l.patron = p.id WHERE l.copy = 5"], ["SELECT p.id FROM patron p LEFT JOIN loan l ON l.patron = p.id WHERE l.copy IS NULL", "SELECT p.id FROM patron p LEFT JOIN loan l ON l.patron = p.id AND l.copy = 5"]),
    "many_tables": (["SELECT t1.id FROM t1 " + " ".join(f"JOIN t{n} ON t{n}.id = t1.id" for n in range(2, 11))], ["SELECT t1.id FROM t1 JOIN t2 ON t2.id = t1.id"]),
    "random_order": (["SELECT id FROM loan ORDER BY random() LIMIT 5"], ["SELECT id FROM loan ORDER BY id LIMIT 5"]),
    "deep_offset": (["SELECT id FROM loan ORDER BY id LIMIT 10 OFFSET 50000"], ["SELECT id FROM loan ORDER BY id LIMIT 10 OFFSET 20"]),
    "offset_by_parameter": (["SELECT id FROM loan ORDER BY id LIMIT 10 OFFSET $1"], ["SELECT id FROM loan WHERE id > $1 ORDER BY id LIMIT 10"]),
    "order_inside": (["SELECT id FROM patron WHERE id IN (SELECT patron FROM loan ORDER BY due)", "SELECT count(*) FROM (SELECT id FROM loan ORDER BY id) x"], ["SELECT count(*) FROM (SELECT id FROM loan ORDER BY id LIMIT 5) x"]),
    "sorted_by_expression": (["SELECT name FROM patron ORDER BY lower(name) LIMIT 5"], ["SELECT name FROM patron ORDER BY name LIMIT 5"]),
    "query_for_each_row": (["SELECT p.id, (SELECT count(*) FROM loan l WHERE l.patron = p.id) FROM patron p"], ["SELECT p.id, (SELECT max(id) FROM loan) FROM patron p"]),
    "count_to_test": (["SELECT id FROM patron p WHERE (SELECT count(*) FROM loan l WHERE l.patron = p.id) > 0"], ["SELECT id FROM patron p WHERE (SELECT count(*) FROM loan l WHERE l.patron = p.id) > 5"]),
    "deep_nesting": (["SELECT a FROM (SELECT a FROM (SELECT a FROM (SELECT a FROM (SELECT a FROM t) v) w) x) y"], ["SELECT a FROM (SELECT a FROM t) x"]),
    "unused_part": (["WITH x AS (SELECT id FROM loan) SELECT id FROM patron"], ["WITH x AS (SELECT id FROM loan) SELECT id FROM x", "WITH gone AS (DELETE FROM loan WHERE id = 1 RETURNING id) SELECT 1"]),
    "one_of_many": (["SELECT id FROM loan WHERE patron = (SELECT id FROM patron)"], ["SELECT id FROM loan WHERE patron = (SELECT max(id) FROM patron)", "SELECT id FROM loan WHERE patron = (SELECT id FROM patron WHERE name = 'ada')"]),
    "union_need_not_be_distinct": (["SELECT 'a' AS kind, id FROM loan UNION SELECT 'b', id FROM patron"], ["SELECT id FROM loan UNION SELECT id FROM patron", "SELECT 'a', id FROM loan UNION ALL SELECT 'b', id FROM patron"]),
    "long_list": ([f"SELECT id FROM loan WHERE id IN ({LONG})"], ["SELECT id FROM loan WHERE id IN (1, 2, 3)"]),
    "many_rows_at_once": ([f"INSERT INTO loan (id) VALUES {ROWS}"], ["INSERT INTO loan (id) VALUES (1), (2)"]),
    "having_without_aggregate": (["SELECT branch, count(*) FROM patron GROUP BY branch HAVING branch = 3"], ["SELECT branch, count(*) FROM patron GROUP BY branch HAVING count(*) > 3", "SELECT branch, count(*) AS n FROM patron GROUP BY branch HAVING n > 3"]),
    "distinct_with_group": (["SELECT DISTINCT branch, count(*) FROM patron GROUP BY branch"], ["SELECT DISTINCT count(*) FROM patron GROUP BY branch"]),
    "count_of_nullable": (["SELECT count(copy) FROM loan"], ["SELECT count(*) FROM loan", "SELECT count(patron) FROM loan", "SELECT count(DISTINCT copy) FROM loan"]),
    "float_equality": (["SELECT id FROM loan WHERE weight = 0.1"], ["SELECT id FROM loan WHERE weight > 0.1"]),
    "reserved_name": (['CREATE TABLE fees (id int PRIMARY KEY, "order" int)'], ["CREATE TABLE fees (id int PRIMARY KEY, place int)"]),
    "mixed_case_name": (['CREATE TABLE "LoanItems" (id int PRIMARY KEY)'], ["CREATE TABLE loan_items (id int PRIMARY KEY)"]),
    "date_of_unclear_order": (["SELECT id FROM loan WHERE due > '03/04/2026'"], ["SELECT id FROM loan WHERE due > '2026-04-03'"]),
    "between_days_of_timestamps": (["SELECT id FROM loan WHERE due BETWEEN '2026-01-01' AND '2026-01-31'"], ["SELECT id FROM loan WHERE due >= '2026-01-01' AND due < '2026-02-01'"]),
    "index_built_while_writes_wait": (["CREATE INDEX loan_due ON loan (due)"], ["CREATE INDEX CONCURRENTLY loan_due ON loan (due)"]),
    "type_changed": (["ALTER TABLE loan ALTER COLUMN note TYPE varchar(20)"], ["ALTER TABLE loan ALTER COLUMN note SET DEFAULT ''"]),
    "required_column_added": (["ALTER TABLE loan ADD COLUMN place int NOT NULL"], ["ALTER TABLE loan ADD COLUMN place int NOT NULL DEFAULT 0", "ALTER TABLE loan ADD COLUMN place int"]),
    "dropped_for_good": (["DROP TABLE loan", "ALTER TABLE loan DROP COLUMN note"], ["DROP INDEX loan_due"]),
    "padded_text": (["CREATE TABLE a (id int PRIMARY KEY, code char(8))"], ["CREATE TABLE a (id int PRIMARY KEY, code varchar(8), flag char(1))"]),
    "money_as_float": (["CREATE TABLE a (id int PRIMARY KEY, late_fee double precision)"], ["CREATE TABLE a (id int PRIMARY KEY, late_fee numeric(8, 2), weight real)"]),
    "table_without_key": (["CREATE TABLE a (id int)"], ["CREATE TABLE a (id int PRIMARY KEY)", "CREATE TABLE a (id int, b int, PRIMARY KEY (id, b))", "CREATE TABLE a AS SELECT 1 AS id"]),
    "timestamp_without_zone": (["CREATE TABLE a (id int PRIMARY KEY, at timestamp)"], ["CREATE TABLE a (id int PRIMARY KEY, at timestamptz)"]),
    "limited_change_without_order": ([], []),
}  # fmt: skip
OF_ANOTHER = {
    "limited_change_without_order": (
        "sqlite",
        "DELETE FROM loan WHERE id > 5 LIMIT 10",
        "DELETE FROM loan WHERE id > 5 ORDER BY id LIMIT 10",
    )
}


def names(sql: str, dialect: str = "postgres") -> list[str]:
    return [found.check.name for found in checked(sql, dialect, SCHEMA)]


@pytest.mark.parametrize("name", [check.name for check in CHECKS])
def test_it_trips_and_does_not(name: str) -> None:
    trips, clean = CASES[name]
    dialect = "postgres"
    if name in OF_ANOTHER:
        dialect, *texts = OF_ANOTHER[name]
        trips, clean = texts[:1], texts[1:]
    assert trips and clean
    for sql in trips:
        assert name in names(sql, dialect), sql
    for sql in clean:
        assert name not in names(sql, dialect), sql


def test_every_check_says_what_it_has_to_say() -> None:
    assert len({check.name for check in CHECKS}) == len(CHECKS) >= 45
    for check in CHECKS:
        said: Any = (check.title, check.why, check.remedy, check.safe)
        assert all(one and one[0].isupper() for one in said) and check.grade in GRADES and 0 < check.sure <= 1
        assert all(one.endswith(".") for one in said[1:]) and not check.title.endswith(".")


def test_what_cannot_be_read_says_where() -> None:
    with pytest.raises(Unreadable):
        checked("SELECT FROM WHERE (", "postgres")
    assert checked("SELECT id FROM loan WHERE id = 1", "postgres") == []
