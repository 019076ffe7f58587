"""What is asked for."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

READING = "Safe: the same rows, fewer columns. Whoever reads by position has to be looked at."


def _all(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        if select.find_ancestor(exp.Exists) or isinstance(select.parent, exp.CTE):
            continue
        if any(
            isinstance(one, exp.Star) or (isinstance(one, exp.Column) and isinstance(one.this, exp.Star))
            for one in select.expressions
        ):
            source = select.args.get("from_")
            if source is not None and not isinstance(source.this, exp.Subquery):
                yield f"all columns of {statement.sql(source.this)}"


def _insert(statement: Parsed) -> Iterator[str]:
    tree = statement.tree
    if (
        isinstance(tree, exp.Insert)
        and isinstance(tree.this, exp.Table)
        and isinstance(tree.expression, (exp.Values, exp.Select))
    ):
        yield f"no columns are named for {tree.this.name}"


def _ordinals(statement: Parsed) -> Iterator[str]:
    for kind, words in ((exp.Order, "sorted"), (exp.Group, "grouped")):
        for holder in statement.all(kind):
            for one in holder.expressions:
                body = one.this if isinstance(one, exp.Ordered) else one
                if isinstance(body, exp.Literal) and body.is_int:
                    yield f"{words} by column number {body.name}"


def _repeated(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        seen: set[str] = set()
        for one in select.expressions:
            if isinstance(one, exp.Column) and not isinstance(one.this, exp.Star):
                text = one.sql(dialect=statement.dialect).lower()
                if text in seen:
                    yield f"{text} is asked for twice"
                seen.add(text)


CHECKS = (
    TextCheck(
        "all_columns", "columns", "All columns are asked for", "plan",
        "Columns that nobody reads are fetched, sent and kept in memory, no index can hold them all, and a column that is added changes the answer.",
        "Name the columns that are read.", READING, 0.9, _all,
    ),
    TextCheck(
        "insert_without_columns", "columns", "Rows are inserted without naming the columns", "plan",
        "A column that is added or moved puts values in the wrong place, or fails.", "Name the columns.", "Safe.", 0.95, _insert,
    ),
    TextCheck(
        "column_numbers", "columns", "Columns are meant by their number", "note",
        "Whoever changes the list of columns changes the order or the groups without seeing it.", "Name the column.", "Safe.", 0.9, _ordinals,
    ),
    TextCheck(
        "repeated_column", "columns", "A column is asked for twice", "note", "It is sent twice, and which of them is read depends on the driver.",
        "Leave one out, or give them names.", "Safe, where nobody reads by position.", 0.8, _repeated,
    ),
)  # fmt: skip
