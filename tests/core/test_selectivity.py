"""Shares from pages that are drawn: the margin covers the truth, and what may be counted on a server is plain."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.core.narrative.conditions import part_words, selectivity_sentence
from hardy_gauge.core.sql.selectivity import Counted, PageTotals, Selectivity, counted, question, why_not_counted


def totals(rows: np.ndarray, fitting: np.ndarray, part: float) -> PageTotals:
    return PageTotals(
        part, len(rows), float(rows.sum()), float(fitting.sum()), float((rows**2).sum()), float((fitting**2).sum()),
        float((rows * fitting).sum()),
    )  # fmt: skip


def test_the_margin_covers_the_truth_although_rows_of_a_page_are_alike() -> None:
    """Simulated: 3,000 pages, each with a share of its own, as where rows lie in the order in which they came; 300 are drawn."""
    draw = np.random.default_rng(5)
    rows = draw.integers(20, 60, 3000).astype(float)
    fitting = draw.binomial(rows.astype(int), draw.beta(0.2, 0.6, 3000)).astype(float)
    truth, inside = fitting.sum() / rows.sum(), 0
    for _ in range(1000):
        drawn = draw.choice(3000, 300, replace=False)
        found = counted(totals(rows[drawn], fitting[drawn], 0.1))
        assert found is not None
        inside += found.low <= truth <= found.high
    assert 0.92 <= inside / 1000 <= 0.98


def test_a_table_that_was_read_whole_has_no_margin() -> None:
    found = counted(totals(np.array([10.0, 10.0]), np.array([1.0, 4.0]), 1.0))
    assert found == Counted(0.25, 0.25, 0.25, 20, 2)
    assert counted(PageTotals(1.0, 0, 0, 0, 0, 0, 0)) is None


def test_none_of_many_is_not_none_at_all() -> None:
    found = counted(totals(np.full(100, 50.0), np.zeros(100), 0.1))
    assert found is not None and (found.share, found.low) == (0.0, 0.0) and found.high == pytest.approx(3 / 5000)
    one = counted(totals(np.array([50.0]), np.array([5.0]), 0.1))
    assert one is not None and (one.low, one.high) == (0.0, 1.0), "a single page says nothing of the others"


@pytest.mark.parametrize(
    ("condition", "says"),
    [
        ("l.patron = 3", ""), ("l.due BETWEEN '2026-01-01' AND '2026-02-01'", ""), ("state IN ('a', 'b') OR NOT x IS NULL", ""),
        ("note LIKE 'a%' AND (n > -3)", ""), ("patron = $1", "not kept"), ("patron = ?", "not kept"),
        ("lower(note) = 'a'", "has lower"), ("pg_sleep(9) IS NULL", "has anonymous"), ("patron = (SELECT 1)", "has subquery"),
        ("x = 'a'::evil", "has cast"), ("a || b = 'x'", "has dpipe"), ("x ~ 'a'", "has regexplike"), ("x IN (SELECT 1)", "has subquery"),
        ("a = ((", "cannot be read"),
    ],
)  # fmt: skip
def test_only_plain_comparisons_are_counted(condition: str, says: str) -> None:
    why = why_not_counted(condition, "postgres")
    assert (says in why) if says else why == ""


def test_a_question_counts_its_parameters_from_one() -> None:
    asked = question(("loan AS l", "item AS i"), "l.item_id = i.id AND l.due > $7 AND i.shelf = $3 AND l.back < $7")
    assert (
        asked
        == "SELECT 1 FROM loan AS l, item AS i WHERE l.item_id = i.id AND l.due > $1 AND i.shelf = $2 AND l.back < $1"
    )
    assert question(("loan",), "") == "SELECT 1 FROM loan"


def test_the_sentence_names_the_condition_that_is_most_wrong() -> None:
    right = Selectivity("a = 1", 0.1, True, Counted(0.08, 0.07, 0.09, 1000, 30))
    wrong = Selectivity("b = 2", 0.5, True, Counted(0.0002, 0.0, 0.001, 1000, 30))
    assert right.factor == pytest.approx(1.25)
    assert selectivity_sentence("desk-a", [right]).endswith("what they select, within a factor of 1.2.")
    said = selectivity_sentence("desk-a", [right, wrong])
    assert "wrong by a factor of 2,500 about b = 2: it expects 50% of the rows, and 1 row in 5,000 fits" in said
    unknown = Selectivity("c = $1", 0.5, False, None, "", "the values of a call are not kept")
    assert unknown.factor is None and "is not known" in selectivity_sentence("desk-a", [unknown])
    assert "no condition" in selectivity_sentence("desk-a", [])
    assert [part_words(part) for part in (0.0, 0.005, 0.4)] == ["no row", "1 row in 200", "40% of the rows"]
