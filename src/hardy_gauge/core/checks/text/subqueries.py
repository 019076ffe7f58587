"""Queries inside queries."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import Expr, exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

DEEP = 4


def _own(select: Expr) -> set[str]:
    return {table.alias_or_name.lower() for table in select.find_all(exp.Table)}


def _outer(select: Expr) -> set[str]:
    return {column.table.lower() for column in select.find_all(exp.Column) if column.table} - _own(select)


def _in_list(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        for one in select.expressions:
            for inner in one.find_all(exp.Subquery):
                if isinstance(inner.this, exp.Select) and _outer(inner.this):
                    yield f"{statement.sql(inner)} is run for each row"


def _count_to_test(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.GT, exp.GTE, exp.EQ, exp.NEQ):
        for side, other in ((one.this, one.expression), (one.expression, one.this)):
            inner = side.this if isinstance(side, exp.Subquery) else None
            if (
                (
                    isinstance(inner, exp.Select)
                    and len(inner.expressions) == 1
                    and isinstance(inner.expressions[0].unalias(), exp.Count)
                )
                and isinstance(other, exp.Literal)
                and other.name in ("0", "1")
            ):
                yield statement.sql(one)


def _deep(statement: Parsed) -> Iterator[str]:
    deepest = 0
    for select in statement.selects():
        depth, at = 0, select.find_ancestor(exp.Select)
        while at is not None:
            depth, at = depth + 1, at.find_ancestor(exp.Select)
        deepest = max(deepest, depth)
    if deepest >= DEEP:
        yield f"{deepest} queries one inside the other"


def _unused(statement: Parsed) -> Iterator[str]:
    used = {table.name.lower() for table in statement.all(exp.Table)}
    for one in statement.all(exp.CTE):
        writes = isinstance(one.this, (exp.Insert, exp.Update, exp.Delete))
        if one.alias.lower() not in used and not writes:
            yield f"{one.alias} is not read"


def _scalar_many(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.EQ):
        for side in (one.this, one.expression):
            inner = side.this if isinstance(side, exp.Subquery) else None
            if isinstance(inner, exp.Select) and inner.args.get("limit") is None and inner.args.get("where") is None:
                single = inner.expressions and isinstance(inner.expressions[0].unalias(), exp.AggFunc)
                if not single and inner.args.get("from_") is not None:
                    yield statement.sql(one)


CHECKS = (
    TextCheck(
        "query_for_each_row", "subqueries", "A query is run for each row that is shown", "plan", "It costs as many calls as there are rows, which grows with the answer.",
        "Join it, grouped by what ties it to the row.", "Look at rows that have none: a join leaves them out, an outer join does not.", 0.7, _in_list,
    ),
    TextCheck(
        "count_to_test", "subqueries", "Counting to know whether there is any", "plan", "All are counted where the first would do.", "Ask with EXISTS.", "Safe.", 0.9, _count_to_test,
    ),
    TextCheck(
        "deep_nesting", "subqueries", "Queries lie deep inside each other", "note", "Nobody sees what it does, and estimates get worse with each level.",
        "Name the parts with WITH.", "Safe for the rows; look at the plan.", 0.6, _deep,
    ),
    TextCheck(
        "unused_part", "subqueries", "A part is named and not read", "note", "It hides what the statement does, and some engines compute it.", "Leave it out.", "Safe.", 0.9, _unused,
    ),
    TextCheck(
        "one_of_many", "subqueries", "A query that can give many rows stands for one value", "plan", "It fails on the day on which there are two.",
        "Say which one: with a condition on a key, an aggregate, or IN.", "It changes the rows that come where there are several.", 0.7, _scalar_many,
    ),
)  # fmt: skip
