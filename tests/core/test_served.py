"""What conditions are served by: which index, how many of its columns, and why not."""

from __future__ import annotations

import pytest

from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts
from hardy_gauge.core.sql.served import narrowed, predicates_of

COLUMNS = ("id", "item_id", "patron_id", "due_on", "returned_at", "note")
TABLES = {
    "loan": TableFacts(
        "loan", 1000, 8192 * 20, {name: ColumnFacts(name, 8, 10) for name in COLUMNS},
        [IndexFacts("loan_pkey", ("id",), True), IndexFacts("loan_item", ("item_id", "due_on", "patron_id"), False)],
    ),
    "item": TableFacts("item", 100, 8192, {"id": ColumnFacts("id", 8, 100)}, [IndexFacts("item_pkey", ("id",), True)]),
}  # fmt: skip
# text, then for each condition: kind, served, index, matched columns
SERVED = [
    ("SELECT 1 FROM loan WHERE id = 3", [("equality", "index", "loan_pkey", 1)]),
    ("SELECT 1 FROM loan WHERE item_id = 3 AND due_on > '2026-01-01'",
     [("equality", "index", "loan_item", 2), ("range", "index", "loan_item", 2)]),
    ("SELECT 1 FROM loan WHERE item_id IN (1, 2) AND patron_id = 7",
     [("list", "index", "loan_item", 1), ("equality", "could", "loan_item", 1)]),
    ("SELECT 1 FROM loan WHERE item_id = 1 AND due_on > '2026-01-01' AND patron_id = 7",
     [("equality", "index", "loan_item", 2), ("range", "index", "loan_item", 2), ("equality", "could", "loan_item", 2)]),
    ("SELECT 1 FROM loan WHERE patron_id = 7", [("equality", "could", "loan_item", 0)]),
    ("SELECT 1 FROM loan WHERE returned_at IS NULL", [("null test", "could", "", 0)]),
    ("SELECT 1 FROM loan WHERE NOT returned_at IS NULL", [("null test", "cannot", "", 0)]),
    ("SELECT 1 FROM loan WHERE lower(note) = 'a'", [("equality", "cannot", "", 0)]),
    ("SELECT 1 FROM loan WHERE note LIKE '%a'", [("pattern", "cannot", "", 0)]),
    ("SELECT 1 FROM loan WHERE note <> 'a'", [("inequality", "cannot", "", 0)]),
    ("SELECT 1 FROM loan WHERE id = 1 OR note = 'a'", [("alternatives", "cannot", "", 0)]),
    ("SELECT 1 FROM loan l JOIN item i ON i.id = l.item_id",
     [("join", "index", "item_pkey", 1), ("join", "index", "loan_item", 1)]),
    ("SELECT 1 FROM loan WHERE EXISTS (SELECT 1 FROM item WHERE item.id = loan.item_id)",
     [("sub-query", "cannot", "", 0), ("join", "index", "item_pkey", 1), ("join", "index", "loan_item", 1)]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), SERVED)
def test_each_condition_with_its_index(text: str, expected: list[tuple[str, str, str, int]]) -> None:
    found = predicates_of(text, TABLES, "postgres")
    assert [(one.kind, one.served, one.index, one.matched) for one in found] == expected


def test_why_an_index_does_not_narrow_so_far() -> None:
    last = predicates_of("SELECT 1 FROM loan WHERE item_id = 1 AND patron_id = 7", TABLES, "postgres")[1]
    assert last.why == "checked in loan_item, which the conditions do not narrow so far: it begins with item_id, due_on"
    assert last.columns == 3
    served = predicates_of("SELECT 1 FROM loan WHERE item_id = 1 AND due_on < '2026-01-01'", TABLES, "postgres")
    assert [one.why for one in served] == ["served by loan_item", "served by loan_item after item_id"]


def test_a_test_for_null_starts_in_no_index_where_those_hold_no_rows_without_a_value() -> None:
    assert predicates_of("SELECT 1 FROM loan WHERE returned_at IS NULL", TABLES, "")[0].served == "cannot"


@pytest.mark.parametrize(
    ("forms", "count"),
    [
        ({"a": {"equal"}, "b": {"equal"}, "c": {"range"}}, 3), ({"a": {"range"}, "b": {"equal"}}, 1), ({"b": {"equal"}}, 0),
        ({"a": {"range", "equal"}, "b": {"range"}, "c": {"equal"}}, 2), ({"a": {"join"}, "b": {"other"}}, 1),
    ],
)  # fmt: skip
def test_leading_columns_that_are_narrowed(forms: dict[str, set[str]], count: int) -> None:
    assert narrowed(("a", "b", "c"), forms) == count


def test_what_cannot_be_read_has_no_conditions() -> None:
    assert predicates_of("SELECT FROM (", TABLES, "postgres") == []
