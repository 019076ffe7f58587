"""Two answers compared: duplicates, nulls, order, numbers that were summed in another order."""

from __future__ import annotations

import random
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.sql.touched_tables import touched_tables
from hardy_gauge.core.statements.same_rows import compare_rows

VALUES = st.one_of(st.none(), st.integers(-3, 3), st.sampled_from(["a", "b", ""]), st.booleans().map(str))
ROWS = st.lists(st.tuples(VALUES, VALUES), max_size=12)


@given(ROWS, st.randoms(use_true_random=False))
def test_a_shuffled_answer_has_the_same_rows(rows: list[tuple[object, ...]], draw: random.Random) -> None:
    shuffled = rows[:]
    draw.shuffle(shuffled)
    found = compare_rows(rows, shuffled)
    assert (
        found.likeness == ("same" if shuffled == rows else "another order") and not found.only_first + found.only_second
    )


@given(ROWS, st.tuples(VALUES, VALUES))
def test_one_row_more_is_found_also_where_it_is_a_duplicate(
    rows: list[tuple[object, ...]], more: tuple[object, ...]
) -> None:
    found = compare_rows(rows, [*rows, more])
    assert found.likeness == "differ" and found.only_first == [] and sum(one.more for one in found.only_second) == 1
    assert (found.first_rows, found.second_rows) == (len(rows), len(rows) + 1)


@pytest.mark.parametrize(
    ("first", "second", "likeness"),
    [
        ([(0.1 + 0.2,)], [(0.3,)], "same"), ([(0.3,)], [(0.30001,)], "differ"), ([(float("nan"),)], [(float("nan"),)], "same"),
        ([(Decimal("1.50"),)], [(Decimal("1.5"),)], "same"), ([(Decimal(0),)], [(Decimal("-0.0"),)], "same"), ([(None,)], [("",)], "differ"),
        ([([1, None],)], [([1, None],)], "same"), ([({"a": 1, "b": 2},)], [({"b": 2, "a": 1},)], "same"), ([(1,), (1,)], [(1,)], "differ"),
    ],
)  # fmt: skip
def test_values_that_are_alike(
    first: list[tuple[object, ...]], second: list[tuple[object, ...]], likeness: str
) -> None:
    assert compare_rows(first, second).likeness == likeness


@pytest.mark.parametrize(
    ("text", "tables"),
    [
        ("SELECT 1 FROM loan l JOIN facts.visit v ON v.id = l.id", {"loan", "facts.visit"}),
        ("WITH recent AS (SELECT * FROM loan) SELECT * FROM recent", {"loan"}), ("UPDATE loan SET note = '' WHERE id IN (SELECT id FROM item)", {"loan", "item"}),
        ("SELECT 1", set()), ("SELECT FROM (", set()),
    ],
)  # fmt: skip
def test_tables_that_a_statement_touches(text: str, tables: set[str]) -> None:
    assert touched_tables(text) == tables
