"""Tables put together."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed, conditions

MANY_TABLES = 8


def _tables(select: exp.Select) -> list[str]:
    source = select.args.get("from_")
    found = [source.this] if source is not None else []
    found += [join.this for join in select.args.get("joins") or []]
    return [one.alias_or_name.lower() for one in found]


def _cross(statement: Parsed) -> Iterator[str]:
    """Tables that no condition ties to the others: those that can be reached from the first by conditions are not among them."""
    for select in statement.selects():
        names = _tables(select)
        if len(names) < 2 or not all(names):
            continue
        joins = select.args.get("joins") or []
        if any(
            isinstance(join.this, (exp.Lateral, exp.Unnest)) or (join.args.get("kind") or "").upper() == "CROSS"
            for join in joins
        ):
            continue
        if any(join.args.get("using") or (join.args.get("method") or "").upper() == "NATURAL" for join in joins):
            continue
        if any(isinstance(join.this, exp.Subquery) and not join.this.alias for join in joins):
            continue
        parts = conditions(select.args.get("where")) + [p for join in joins for p in conditions(join.args.get("on"))]
        ties = [{column.table.lower() for column in part.find_all(exp.Column) if column.table} for part in parts]
        if any(not column.table for part in parts for column in part.find_all(exp.Column)):
            continue  # whose columns these are is not known
        reached, grown = {names[0]}, True
        while grown:
            grown = False
            for tie in ties:
                if tie & reached and not tie <= reached:
                    reached |= tie
                    grown = True
        left = [name for name in names if name not in reached]
        if left:
            yield f"nothing ties {', '.join(left)} to {names[0]}"


def _comma(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        joins = select.args.get("joins") or []
        bare = [
            j
            for j in joins
            if not any(j.args.get(k) for k in ("on", "using", "kind", "side", "method"))
            and isinstance(j.this, exp.Table)
        ]
        if bare and len(bare) < len(joins):
            yield f"{bare[0].this.alias_or_name} stands beside joins that say how"


def _natural(statement: Parsed) -> Iterator[str]:
    for join in statement.all(exp.Join):
        if (join.args.get("method") or "").upper() == "NATURAL":
            yield f"with {join.this.alias_or_name}"


def _distinct(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        if select.args.get("distinct") is None or not select.args.get("joins"):
            continue
        named = {column.table.lower() for one in select.expressions for column in one.find_all(exp.Column)}
        unread = [name for name in _tables(select) if name and name not in named]
        if named and "" not in named and unread:
            yield f"nothing of {', '.join(unread)} is asked for"


def _outer_undone(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        outer = {
            j.this.alias_or_name.lower()
            for j in select.args.get("joins") or []
            if (j.args.get("side") or "").upper() == "LEFT"
        }
        for part in conditions(select.args.get("where")):
            if isinstance(part, (exp.EQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Like, exp.Between, exp.In)):
                named = {c.table.lower() for c in part.find_all(exp.Column)} & outer
                if named and not part.find(exp.Coalesce) and not isinstance(part.args.get("expression"), exp.Null):
                    yield f"{statement.sql(part)} leaves out the rows for which {', '.join(sorted(named))} has none"


def _many(statement: Parsed) -> Iterator[str]:
    for select in statement.selects():
        count = len(_tables(select))
        if count > MANY_TABLES:
            yield f"{count} tables in one statement"


CHECKS = (
    TextCheck(
        "cross_join", "joins", "Tables are put together without a condition", "act", "Every row of one comes with every row of the other: the rows multiply.",
        "Give the condition that ties them; where all pairs are meant, write CROSS JOIN.", "It changes the rows that come: that is the point.", 0.85, _cross,
    ),
    TextCheck(
        "comma_beside_join", "joins", "Tables by comma beside joins", "note", "Which condition belongs to which table is hidden, and JOIN binds more closely than the comma.",
        "Write all of them as joins.", "Safe, where the conditions are carried over.", 0.8, _comma,
    ),
    TextCheck(
        "natural_join", "joins", "A natural join", "plan", "A column that is added to both tables becomes a condition by itself.", "Name the columns.", "Safe.", 0.95, _natural,
    ),
    TextCheck(
        "distinct_hides_join", "joins", "DISTINCT takes back what a join multiplied", "plan", "All pairs are made, sorted and thrown away, to know whether there is one.",
        "Ask with EXISTS.", "Safe: the same rows.", 0.7, _distinct,
    ),
    TextCheck(
        "outer_join_undone", "joins", "A condition undoes an outer join", "plan", "Rows without a partner were asked for, and the condition leaves them out again.",
        "Move the condition to the join, or make it an inner join.", "It changes the rows that come: one of the two was meant.", 0.8, _outer_undone,
    ),
    TextCheck(
        "many_tables", "joins", "Many tables in one statement", "note", "The planner stops looking at all orders of joining, and one wrong estimate spoils the rest.",
        "Split it where a part is small and the same for all.", "Try it; parts that are kept in between cost too.", 0.5, _many,
    ),
)  # fmt: skip
