"""Which texts are the same statement, as a table."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.sql.normalise import fingerprint, normalise

SAME = [
    ("SELECT * FROM loan WHERE id = 5", "select  *\nfrom loan where id = 99 -- why"),
    ("SELECT a FROM t WHERE b IN (1, 2, 3)", "SELECT a FROM t WHERE b IN (?)"),
    ("INSERT INTO t (a, b) VALUES (1, 'x'), (2, 'y')", "insert into t(a, b) values ($1, $2)"),
    ("SELECT a FROM t WHERE b = -5", "SELECT a FROM t WHERE b = 5"),
    ("SELECT 'it''s' FROM t", "SELECT $tag$any 'text'$tag$ FROM t"),
    ("SELECT a /* hint */ FROM t;", "SELECT a FROM t"),
    ('SELECT "a" FROM t', "SELECT a FROM t"),
    ("SELECT a FROM t WHERE b = TRUE", "SELECT a FROM t WHERE b = :flag"),
    ("SELECT a FROM t WHERE b = 1.5e-3", "SELECT a FROM t WHERE b = %s"),
]
DIFFERENT = [
    ("SELECT a FROM t", "SELECT b FROM t"),
    ("SELECT a FROM t WHERE b IS NULL", "SELECT a FROM t WHERE b IS NOT NULL"),
    ("SELECT a FROM t WHERE b - 5 = c", "SELECT a FROM t WHERE b + 5 = c"),
    ('SELECT "A" FROM t', "SELECT a FROM t"),
    ("SELECT a FROM t ORDER BY b", "SELECT a FROM t ORDER BY b DESC"),
    ("SELECT a FROM t WHERE b IS TRUE", "SELECT a FROM t WHERE b = TRUE"),
]


@pytest.mark.parametrize(("one", "other"), SAME)
def test_same_statement(one: str, other: str) -> None:
    assert fingerprint(one) == fingerprint(other)


@pytest.mark.parametrize(("one", "other"), DIFFERENT)
def test_different_statement(one: str, other: str) -> None:
    assert fingerprint(one) != fingerprint(other)


def test_readable_text_has_no_literals() -> None:
    normal = normalise("SELECT id FROM patron WHERE card_number = 'Q-4711' AND home_branch_id = 12")
    assert normal.text == "SELECT id FROM patron WHERE card_number = $1 AND home_branch_id = $2"
    assert normal.kind == "select"


@given(st.text(max_size=200))
def test_any_text_has_a_fingerprint(text: str) -> None:
    assert len(fingerprint(text)) == 16


@given(st.integers(0, 10**12), st.text(alphabet="abc' ", max_size=20))
def test_literals_never_change_the_fingerprint(number: int, text: str) -> None:
    quoted = text.replace("'", "''")
    varied = f"SELECT id FROM loan WHERE a = {number} AND b = '{quoted}'"
    assert fingerprint(varied) == fingerprint("SELECT id FROM loan WHERE a = 1 AND b = 'x'")
