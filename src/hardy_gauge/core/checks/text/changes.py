"""Statements that change rows."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed, conditions


def _everything(statement: Parsed) -> Iterator[str]:
    tree = statement.tree
    if (
        isinstance(tree, (exp.Update, exp.Delete))
        and tree.args.get("where") is None
        and (
            tree.args.get("limit") is None
            and tree.find(exp.Join) is None
            and not tree.args.get("using")
            and not tree.args.get("from_")
        )
    ):
        kind = "changes" if isinstance(tree, exp.Update) else "deletes"
        yield f"it {kind} every row of {statement.sql(tree.this)}"


def _always(statement: Parsed) -> Iterator[str]:
    for where in statement.all(exp.Where):
        for one in conditions(where):
            same = isinstance(one, exp.EQ) and one.this.sql() == one.expression.sql()
            if (same and isinstance(one.this, exp.Literal)) or (isinstance(one, exp.Boolean) and one.this):
                yield f"{statement.sql(one)} always holds"
            elif same and isinstance(one.this, exp.Column):
                yield f"{statement.sql(one)} holds for every row in which it is not null"


def _truncate(statement: Parsed) -> Iterator[str]:
    if isinstance(statement.tree, exp.TruncateTable):
        yield "every row is dropped, and whoever reads the table waits"


def _unordered(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Update, exp.Delete):
        if one.args.get("limit") is not None and one.args.get("order") is None:
            yield f"which rows of {statement.sql(one.this)} it takes is left to chance"


def _select_limit(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        limit = select.args.get("limit")
        if limit is None or select.args.get("order") is not None or select.find_ancestor(exp.Exists):
            continue
        number = limit.expression if isinstance(limit, exp.Limit) else None
        if (
            select.args.get("group") is None
            and isinstance(number, exp.Literal)
            and number.name != "1"
            and select.args.get("from_") is not None
        ):
            yield f"the first {number.name} rows in no order"


CHECKS = (
    TextCheck(
        "change_without_condition", "changes", "Every row is changed or deleted", "act",
        "A condition that was forgotten costs all rows; one that is meant so holds locks and writes log for all of them at once.",
        "Give a condition; where all rows are meant, go in steps by key, or say so with a condition that is always true.",
        "Not as it is: try it in a transaction that is rolled back.", 0.9, _everything,
    ),
    TextCheck(
        "condition_always_true", "changes", "A condition always holds", "note", "It hides that there is none, and nulls drop out where a column is compared with itself.",
        "Leave it out; where nulls are to be left out, say IS NOT NULL.", "Safe.", 0.75, _always,
    ),
    TextCheck(
        "truncate", "changes", "A whole table is emptied", "plan", "It takes the strongest lock on the table and cannot be done for some rows.",
        "Keep it for tables that nobody reads meanwhile; else delete in steps.", "Only where nobody else uses the table.", 0.6, _truncate,
    ),
    TextCheck(
        "limited_change_without_order", "changes", "Some rows are changed, and which is left to chance", "plan",
        "Twice the same statement changes different rows, and two at once wait for each other in a circle.", "Sort by the key.",
        "Safe; look at the plan afterwards.", 0.85, _unordered,
    ),
    TextCheck(
        "limit_without_order", "changes", "Some rows are asked for in no order", "note",
        "Which rows come depends on the plan, so pages repeat rows and leave others out.", "Sort by something that is unique.",
        "Safe where an index gives the order; else it sorts.", 0.7, _select_limit,
    ),
)  # fmt: skip
