"""Order and pages."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

DEEP = 1000


def _random(statement: Parsed) -> Iterator[str]:
    for order in statement.all(exp.Order):
        for one in order.expressions:
            body = one.this if isinstance(one, exp.Ordered) else one
            name = body.name.lower() if isinstance(body, exp.Anonymous) else ""
            if isinstance(body, exp.Rand) or name in ("random", "rand", "newid", "gen_random_uuid"):
                yield statement.sql(order)


def _offset(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Offset):
        number = one.expression
        if isinstance(number, exp.Literal) and number.is_int and int(number.name) >= DEEP:
            yield f"{number.name} rows are made and thrown away"


def _moving_offset(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Offset):
        if isinstance(one.expression, (exp.Parameter, exp.Placeholder)):
            yield "how many rows are thrown away is a parameter"


def _inner_order(statement: Parsed) -> Iterator[str]:
    for query in statement.all(exp.Subquery, exp.CTE, exp.In, exp.Exists):
        inner = query.this if not isinstance(query, exp.In) else query.args.get("query")
        inner = inner.unnest() if inner is not None else None
        if (
            isinstance(inner, exp.Select)
            and inner.args.get("order") is not None
            and not any(inner.args.get(k) for k in ("limit", "offset", "distinct"))
        ) and not inner.find(exp.Window):
            yield statement.sql(inner.args["order"])


def _expression(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        order = select.args.get("order")
        for one in order.expressions if order is not None else []:
            body = one.this if isinstance(one, exp.Ordered) else one
            if (
                isinstance(body, (exp.Lower, exp.Upper, exp.Cast, exp.Coalesce, exp.Case))
                and body.find(exp.Column)
                and select.args.get("limit")
            ):
                yield f"{statement.sql(body)} before the first rows are taken"


CHECKS = (
    TextCheck(
        "random_order", "sorting", "Rows are sorted at random", "plan", "All rows get a number and are sorted, to take a few.",
        "Draw keys, or take a sample of the table.", "It draws otherwise; look whether that is random enough.", 0.95, _random,
    ),
    TextCheck(
        "deep_offset", "sorting", "Many rows are skipped", "plan", "What is skipped is read and sorted all the same, and each page costs more than the one before.",
        "Go on from the last key that was shown.", "Safe, where the order is unique.", 0.9, _offset,
    ),
    TextCheck(
        "offset_by_parameter", "sorting", "Pages are turned by skipping rows", "note", "The last pages cost as much as all before them together.",
        "Go on from the last key that was shown.", "Safe, where the order is unique.", 0.6, _moving_offset,
    ),
    TextCheck(
        "order_inside", "sorting", "A query inside is sorted for nothing", "note", "The order of what is inside does not reach the answer, and sorting costs.",
        "Sort outside.", "Safe.", 0.85, _inner_order,
    ),
    TextCheck(
        "sorted_by_expression", "sorting", "The first rows by something computed", "note", "No index of columns gives that order: all rows are computed and sorted.",
        "Build an index on the expression, or keep it in a column.", "The index takes space and writes; try it first.", 0.6, _expression,
    ),
)  # fmt: skip
