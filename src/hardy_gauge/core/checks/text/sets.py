"""Sets, groups and lists."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed, conditions

LONG_LIST, LONG_VALUES = 100, 1000


def _union(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Union):
        if not one.args.get("distinct"):
            continue
        sides = [side.unnest() for side in (one.this, one.expression)]
        tags = [
            {e.unalias().sql() for e in side.expressions if isinstance(e.unalias(), exp.Literal)}
            if isinstance(side, exp.Select)
            else set()
            for side in sides
        ]
        if tags[0] and tags[1] and tags[0].isdisjoint(tags[1]):
            yield f"both sides differ by {', '.join(sorted(tags[0]))}"


def _long_list(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.In):
        if len(one.expressions) >= LONG_LIST:
            yield f"{len(one.expressions)} values for {statement.sql(one.this)}"


def _long_values(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Values):
        if len(one.expressions) >= LONG_VALUES:
            yield f"{len(one.expressions):,} rows in one statement"


def _having(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Having):
        for part in conditions(one):
            if part.find(exp.Column) and not part.find(exp.AggFunc) and not part.find(exp.Anonymous):
                named = {
                    e.alias
                    for select in statement.selects()
                    for e in select.expressions
                    if e.alias and e.find(exp.AggFunc)
                }
                if not any(column.name in named for column in part.find_all(exp.Column)):
                    yield statement.sql(part)


def _distinct_group(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        group = select.args.get("group")
        if select.args.get("distinct") is None or group is None:
            continue
        shown = {e.unalias().sql().lower() for e in select.expressions}
        if {e.sql().lower() for e in group.expressions} <= shown:
            yield "groups differ from each other already"


def _count_column(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Count):
        if (
            isinstance(one.this, exp.Distinct)
            or not isinstance(one.this, exp.Column)
            or isinstance(one.this.this, exp.Star)
        ):
            continue
        shape = statement.shape_of(one.this)
        if shape is not None and shape.nullable:
            yield f"{statement.sql(one)} leaves out rows in which it is null"


CHECKS = (
    TextCheck(
        "union_need_not_be_distinct", "sets", "UNION where no row can come twice", "plan", "All rows are sorted or hashed to find doubles that cannot be.", "Say UNION ALL.", "Safe.", 0.9, _union,
    ),
    TextCheck(
        "long_list", "sets", "A long list of values", "plan", "It is parsed and planned anew for each length, and estimates add up its errors.",
        "Give the values as one array, or as a table to join.", "Safe.", 0.85, _long_list,
    ),
    TextCheck(
        "many_rows_at_once", "sets", "Very many rows in one statement", "note", "Parsing takes memory for all of them, and one bad row loses them all.",
        "Send some hundreds at a time, or use the engine's way to copy rows.", "Safe.", 0.6, _long_values,
    ),
    TextCheck(
        "having_without_aggregate", "sets", "Groups are made and thrown away", "plan", "What could be left out before grouping is grouped first.", "Move the condition to WHERE.", "Safe.", 0.85, _having,
    ),
    TextCheck(
        "distinct_with_group", "sets", "DISTINCT over groups", "note", "Groups differ already; they are compared again for nothing.", "Leave out DISTINCT.", "Safe.", 0.85, _distinct_group,
    ),
    TextCheck(
        "count_of_nullable", "sets", "A column that can be null is counted", "note", "Rows without a value are not counted, which is seldom meant.",
        "Count * where rows are meant.", "It changes the number: one of the two was meant.", 0.5, _count_column,
    ),
)  # fmt: skip
