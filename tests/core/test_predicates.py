"""How statements use columns, as a table of texts and what an index could serve."""

from __future__ import annotations

import pytest

from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts
from hardy_gauge.core.remedies.index import advise_index, build
from hardy_gauge.core.sql.predicates import Unreadable, read_uses

SCHEMA = {
    "loan": ["id", "item_id", "patron_id", "due_on", "returned_at", "renewals"],
    "item": ["id", "title_id", "barcode", "shelf"],
    "patron": ["id", "card_number"],
}
# text, table, equal, ranged, ordered, joined
USES = [
    ("SELECT id FROM loan WHERE item_id = 1 AND due_on > 2", "loan", ["item_id"], ["due_on"], [], []),
    ("SELECT id FROM loan WHERE (item_id = 1) AND (due_on BETWEEN 1 AND 2)", "loan", ["item_id"], ["due_on"], [], []),
    ("SELECT id FROM loan WHERE item_id IN (1, 2) ORDER BY due_on, id", "loan", ["item_id"], [], ["due_on", "id"], []),
    (
        "SELECT l.id FROM loan l JOIN item i ON i.id = l.item_id WHERE i.barcode = 'x'",
        "item",
        ["barcode"],
        [],
        [],
        ["id"],
    ),
    ("SELECT l.id FROM loan l JOIN item i ON i.id = l.item_id WHERE i.barcode = 'x'", "loan", [], [], [], ["item_id"]),
    (
        "SELECT l.id FROM loan l, patron p WHERE l.patron_id = p.id AND p.card_number = ?",
        "loan",
        [],
        [],
        [],
        ["patron_id"],
    ),
    ("UPDATE loan SET renewals = 1 WHERE item_id = 3", "loan", ["item_id"], [], [], []),
    ("DELETE FROM loan WHERE due_on <= 5", "loan", [], ["due_on"], [], []),
    ("SELECT barcode FROM item, loan WHERE barcode = 1", "item", ["barcode"], [], [], []),
    ("SELECT id FROM loan ORDER BY due_on DESC", "loan", [], [], ["due_on"], []),
]


@pytest.mark.parametrize(("sql", "table", "equal", "ranged", "ordered", "joined"), USES)
def test_uses(sql: str, table: str, equal: list[str], ranged: list[str], ordered: list[str], joined: list[str]) -> None:
    use = read_uses(sql, SCHEMA).tables[table]
    assert (use.equal, use.ranged, use.ordered, use.joined) == (equal, ranged, ordered, joined)


UNSERVED = [
    ("SELECT id FROM loan WHERE lower(item_id) = 'x'", "inside an expression"),
    ("SELECT id FROM loan WHERE item_id + 1 = 5", "inside an expression"),
    ("SELECT id FROM loan WHERE item_id <> 5", "no start in an index"),
    ("SELECT id FROM loan WHERE NOT item_id = 5", "inside an expression"),
]


@pytest.mark.parametrize(("sql", "why"), UNSERVED)
def test_what_no_index_can_serve_has_a_reason(sql: str, why: str) -> None:
    use = read_uses(sql, SCHEMA).tables["loan"]
    assert why in use.unserved["item_id"] and use.equal == []


def test_an_or_is_not_taken_for_a_conjunction() -> None:
    use = read_uses("SELECT id FROM loan WHERE item_id = 1 OR patron_id = 2", SCHEMA).tables["loan"]
    assert use.equal == []


def test_unknown_tables_and_ambiguous_columns_are_left_out() -> None:
    uses = read_uses("SELECT 1 FROM nowhere n JOIN loan l ON l.id = n.id WHERE n.colour = 1", SCHEMA)
    assert set(uses.tables) == {"loan"} and uses.tables["loan"].equal == []
    both = read_uses("SELECT 1 FROM loan JOIN item ON item.id = loan.item_id WHERE id = 3", SCHEMA)
    assert both.tables["loan"].equal == [] and both.tables["item"].equal == []


def test_other_dialects_and_broken_text() -> None:
    assert read_uses("SELECT id FROM `loan` WHERE `item_id` = 1", SCHEMA, "sqlite").tables["loan"].equal == ["item_id"]
    with pytest.raises(Unreadable):
        read_uses("SELECT FROM WHERE (", SCHEMA)


DISTINCT = {"id": 1e6, "item_id": 3e5, "patron_id": 2e5, "due_on": 4000, "returned_at": 9e5, "renewals": 6}
COLUMNS = {name: ColumnFacts(name, 8, count) for name, count in DISTINCT.items()}


def advised(sql: str, *indexes: tuple[str, ...]) -> list[str] | None:
    table = TableFacts("loan", 1e6, 1e8, COLUMNS, [IndexFacts(f"i{n}", c, False) for n, c in enumerate(indexes)])
    advice = advise_index(read_uses(sql, SCHEMA).tables["loan"], table)
    return advice.columns if advice else None


ADVICE = [
    ("SELECT 1 FROM loan WHERE renewals = 1 AND item_id = 2", [], ["item_id", "renewals"]),
    ("SELECT 1 FROM loan WHERE renewals = 1 AND due_on > 2", [], ["renewals", "due_on"]),
    ("SELECT 1 FROM loan WHERE item_id = 1 ORDER BY due_on", [], ["item_id", "due_on"]),
    ("SELECT 1 FROM loan WHERE due_on > 2", [], ["due_on"]),
    ("SELECT 1 FROM loan WHERE item_id = 1", [("item_id", "due_on")], None),
    ("SELECT 1 FROM loan WHERE item_id = 1 AND renewals = 2", [("renewals", "item_id")], None),
    ("SELECT 1 FROM loan WHERE item_id = 1", [("due_on", "item_id")], ["item_id"]),
    ("SELECT 1 FROM loan ORDER BY due_on", [], None),
    ("SELECT 1 FROM loan", [], None),
]


@pytest.mark.parametrize(("sql", "indexes", "columns"), ADVICE)
def test_advised_columns(sql: str, indexes: list[tuple[str, ...]], columns: list[str] | None) -> None:
    assert advised(sql, *indexes) == columns


def test_cost_of_an_index_is_unknown_when_writes_are_not_reported() -> None:
    table = TableFacts("loan", 1e6, 1e8, COLUMNS, [])
    advice = build(table, ["item_id"])
    assert advice.writes_per_s is None and advice.bytes == pytest.approx(1e6 * (8 + 8 + 4) / 0.9)
    with pytest.raises(KeyError):
        build(table, ["colour"])


def test_variables_of_a_routine_are_values() -> None:
    """A statement of a routine has the names of its variables, with their record before them or alone."""
    schema = {"loan": ["id", "patron", "note"]}
    for text in ("UPDATE loan SET note = $1 WHERE id = r.id", "SELECT note FROM loan WHERE id = p_id"):
        (condition,) = read_uses(text, schema).conditions
        assert (condition.column, condition.form) == ("id", "equal"), text
    (other,) = read_uses("SELECT 1 FROM loan JOIN patron ON patron.code = loan.patron", schema).conditions
    assert other.kind == "join", "a column of a table that is not known"
