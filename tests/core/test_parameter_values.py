"""Values of parameters from texts with their values; what a server numbers is by hand, from PostgreSQL's documentation of pg_stat_statements
(constants become parameters numbered after those that were there).
"""

from __future__ import annotations

import pytest

from hardy_gauge.core.sql.parameter_values import Bound, parameter_values


@pytest.mark.parametrize(
    ("statement", "text", "values"),
    [
        ("SELECT note FROM loan WHERE patron = $1", "SELECT note FROM loan WHERE patron = 4711", ["4711"]),
        (
            "SELECT a FROM t WHERE b = $2 AND c = $1",
            "SELECT a FROM t WHERE b = 'O''Hara' AND c = -2.5e3",
            ["-2.5e3", "O'Hara"],
        ),
        ("SELECT a FROM t WHERE b = $1 OR c = $1", "SELECT a FROM t WHERE b = 7 OR c = 7", ["7"]),
        ("SELECT a FROM t WHERE b = $1 AND c IS NULL", "SELECT a FROM t WHERE b = NULL AND c IS NULL", [None]),
        ("SELECT a FROM t WHERE b = $1 LIMIT $2", "select a from t where b = true limit 10", ["true", "10"]),
    ],
)
def test_as_they_stand(statement: str, text: str, values: list[Bound]) -> None:
    assert parameter_values(statement, text) == values


@pytest.mark.parametrize(
    ("statement", "text"),
    [
        ("SELECT a FROM t WHERE b = $1 OR c = $1", "SELECT a FROM t WHERE b = 7 OR c = 8"),
        ("SELECT a FROM t WHERE b IN ($1, $2)", "SELECT a FROM t WHERE b IN (1, 2, 3)"),
        ("SELECT a FROM t WHERE b = $1", "SELECT a FROM t WHERE b = $1"),
        ("SELECT a FROM t WHERE b = $1", r"SELECT a FROM t WHERE b = E'\\x'"),
        ("SELECT a FROM t WHERE b = $1", "SELECT a FROM t WHERE b = $tag$x$tag$"),
        ("SELECT a FROM t WHERE b = $1", r"SELECT a FROM t WHERE b = 'a\b'"),
        ("SELECT a FROM t WHERE b = $2", "SELECT a FROM t WHERE b = 1"),
        ("SELECT a FROM t", "SELECT a FROM t"),
    ],
)
def test_none_where_it_cannot_be_told(statement: str, text: str) -> None:
    assert parameter_values(statement, text) is None
