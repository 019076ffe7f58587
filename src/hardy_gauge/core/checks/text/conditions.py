"""Conditions that no index can serve, or that do not say what was meant."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import Expr, exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

COMPARED = (exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Between, exp.In, exp.Like, exp.ILike)
CALCULATED = (exp.Add, exp.Sub, exp.Mul, exp.Div, exp.Mod, exp.DPipe)
NUMBERS = (
    "int",
    "bigint",
    "smallint",
    "integer",
    "numeric",
    "decimal",
    "real",
    "double",
    "float",
    "serial",
    "bigserial",
)
TEXTS = ("text", "varchar", "char", "character", "bpchar", "citext")
MANY_OR = 3


def _column_of(side: Expr) -> exp.Column | None:
    return next(iter(side.find_all(exp.Column)), None)


def _sides(statement: Parsed) -> Iterator[tuple[Expr, Expr]]:
    """Each comparison with its side that has a column wrapped in something, where the other side has none."""
    for one in statement.conditions:
        for part in one.find_all(*COMPARED):
            if isinstance(part, (exp.Between, exp.In, exp.Like, exp.ILike)):
                yield part, part.this.unnest()
            else:
                for side, other in ((part.this, part.expression), (part.expression, part.this)):
                    if not other.find(exp.Column):
                        yield part, side.unnest()


def _function(statement: Parsed) -> Iterator[str]:
    for condition, side in _sides(statement):
        wraps = isinstance(side, exp.Func) and not isinstance(side, (exp.Cast, exp.AggFunc, exp.Case, exp.Connector))
        if wraps and _column_of(side) is not None and condition.find_ancestor(exp.Having) is None:
            yield statement.sql(condition)


def _calculation(statement: Parsed) -> Iterator[str]:
    for condition, side in _sides(statement):
        if isinstance(side, CALCULATED) and _column_of(side) is not None:
            yield statement.sql(condition)


def _cast(statement: Parsed) -> Iterator[str]:
    for condition, side in _sides(statement):
        if isinstance(side, exp.Cast) and isinstance(side.this.unnest(), exp.Column):
            yield statement.sql(condition)


def _open_pattern(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Like, exp.ILike):
        pattern = one.expression
        if (
            isinstance(pattern, exp.Literal)
            and pattern.is_string
            and pattern.name[:1] in ("%", "_")
            and len(pattern.name) > 1
        ):
            yield statement.sql(one)


def _whole_pattern(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Like):
        pattern = one.expression
        if isinstance(pattern, exp.Literal) and pattern.is_string and not {"%", "_"} & {*pattern.name}:
            yield statement.sql(one)


def _null(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.EQ, exp.NEQ):
        null = isinstance(one.expression, exp.Null) or isinstance(one.this, exp.Null)
        if null and one.find_ancestor(exp.Where, exp.Join, exp.Having, exp.If) is not None and not _is_assignment(one):
            yield statement.sql(one)


def _is_assignment(one: Expr) -> bool:
    return isinstance(one.parent, exp.Update) and one.arg_key == "expressions"


def _not_in(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Not):
        inner = one.this.unnest()
        if not isinstance(inner, exp.In):
            continue
        query = inner.args.get("query")
        if query is not None:
            selected = query.unnest().selects if hasattr(query.unnest(), "selects") else []
            column = selected[0] if selected else None
            shape = statement.shape_of(column) if isinstance(column, exp.Column) else None
            guarded = any(
                isinstance(part, exp.Not) and isinstance(part.this, exp.Is) for part in query.find_all(exp.Not)
            )
            nullable = shape.nullable if shape is not None else None
            # where it is not known, a column named id is taken for a key
            keyed = nullable is None and isinstance(column, exp.Column) and column.name.lower() == "id"
            if not guarded and not keyed and nullable is not False:
                yield f"{statement.sql(one)}, whose values {'can' if nullable else 'may'} be null"
        elif any(isinstance(value, exp.Null) for value in inner.expressions):
            yield f"{statement.sql(one)} holds for no row"


def _or(statement: Parsed) -> Iterator[str]:
    for one in statement.conditions:
        if isinstance(one, exp.Or):
            columns = {column.sql().lower() for part in one.flatten() for column in part.find_all(exp.Column)}
            if len(columns) >= 2 and not one.find(exp.Select):
                yield statement.sql(one)


def _or_of_one(statement: Parsed) -> Iterator[str]:
    for one in statement.conditions:
        if isinstance(one, exp.Or):
            parts = [part.unnest() for part in one.flatten()]
            if (
                len(parts) >= MANY_OR
                and all(isinstance(part, exp.EQ) for part in parts)
                and len({part.this.sql() for part in parts}) == 1
            ):
                yield f"{len(parts)} values of {statement.sql(parts[0].this)}"


def _implicit(statement: Parsed) -> Iterator[str]:
    for one in statement.conditions:
        if not isinstance(one, (exp.EQ, exp.NEQ, exp.GT, exp.LT, exp.GTE, exp.LTE)):
            continue
        for side, other in ((one.this, one.expression), (one.expression, one.this)):
            if isinstance(side, exp.Column) and isinstance(other, exp.Literal):
                shape = statement.shape_of(side)
                kind = shape.kind.split("(")[0].split()[0] if shape else ""
                if (other.is_string and kind in NUMBERS and not other.name.lstrip("-").replace(".", "").isdigit()) or (
                    not other.is_string and kind in TEXTS
                ):
                    yield f"{statement.sql(one)}: {side.name} is {kind}"


def _trinary(statement: Parsed) -> Iterator[str]:
    """The optional parameter: a plan for all cases, which is good for none."""
    for one in statement.conditions:
        if isinstance(one, exp.Or):
            parts = [part.unnest() for part in one.flatten()]
            tested = [
                p.this.sql()
                for p in parts
                if isinstance(p, exp.Is) and isinstance(p.this.unnest(), (exp.Parameter, exp.Placeholder))
            ]
            if tested and any(isinstance(p, exp.EQ) for p in parts):
                yield statement.sql(one)


NARROW = "Safe for the rows; look at the plan with real values before it goes out."
CHECKS = (
    TextCheck(
        "function_on_column", "conditions", "A function is put around a column", "plan", "An index on the column cannot serve it, so every row is read and computed.",
        "Turn the condition around so that the column stands alone, or build an index on the expression.", NARROW, 0.85, _function,
    ),
    TextCheck(
        "calculation_on_column", "conditions", "A column is calculated with before it is compared", "plan", "An index on the column cannot serve it.",
        "Move the calculation to the other side.", NARROW, 0.9, _calculation,
    ),
    TextCheck(
        "cast_of_column", "conditions", "A column is cast before it is compared", "plan", "An index on the column cannot serve it, and each row is converted.",
        "Cast the value instead, or give the column the type that it has.", NARROW, 0.85, _cast,
    ),
    TextCheck(
        "open_pattern", "conditions", "A pattern begins open", "plan", "An index of sorted values has no place to begin, so all rows are read.",
        "Search from the beginning, or use an index made for parts of words.", "The index takes space and writes; try it first.", 0.85, _open_pattern,
    ),
    TextCheck(
        "pattern_without_wildcard", "conditions", "A pattern has no wildcard", "note", "It means equality, which is said more plainly and planned better.",
        "Compare with =.", "Safe.", 0.9, _whole_pattern,
    ),
    TextCheck(
        "compared_with_null", "conditions", "Something is compared with null", "act", "Nothing is equal to null, nor unequal: the condition holds for no row.",
        "Say IS NULL or IS NOT NULL.", "It changes the rows that come: that is the point.", 0.98, _null,
    ),
    TextCheck(
        "not_in_with_null", "conditions", "NOT IN over values that can be null", "act", "One null among them, and no row comes at all.",
        "Use NOT EXISTS, or leave nulls out inside.", "Safe: it gives what was meant.", 0.8, _not_in,
    ),
    TextCheck(
        "or_over_columns", "conditions", "OR over several columns", "note", "One index cannot serve both; at best two are read and put together.",
        "Ask twice and put the answers together with UNION ALL, where both sides are narrow.", "Rows that fit both sides come twice unless that is seen to.", 0.6, _or,
    ),
    TextCheck(
        "or_of_one_column", "conditions", "Many values of one column joined by OR", "note", "A list is shorter, and planned as one lookup.", "Say IN (…).", "Safe.", 0.9, _or_of_one,
    ),
    TextCheck(
        "implicit_conversion", "conditions", "A value of another kind than its column", "plan", "The engine converts one of them; where it is the column, its index is lost, and some values fail.",
        "Write the value as the column's type.", "Safe.", 0.85, _implicit,
    ),
    TextCheck(
        "optional_parameter", "conditions", "A parameter that may be left out", "plan", "One plan has to fit both cases, so it reads everything in both.",
        "Make two statements, one with and one without the condition.", "Safe; the application chooses.", 0.8, _trinary,
    ),
)  # fmt: skip
