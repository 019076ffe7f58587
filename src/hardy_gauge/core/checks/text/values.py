"""Values and names."""

from __future__ import annotations

import re
from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

FLOATS = ("real", "double precision", "double", "float", "float4", "float8")
RESERVED = frozenset(
    [
        "all",
        "and",
        "any",
        "as",
        "asc",
        "case",
        "cast",
        "check",
        "column",
        "constraint",
        "create",
        "cross",
        "default",
        "desc",
        "distinct",
        "else",
        "end",
        "except",
        "fetch",
        "for",
        "foreign",
        "from",
        "full",
        "grant",
        "group",
        "having",
        "in",
        "inner",
        "intersect",
        "into",
        "is",
        "join",
        "key",
        "left",
        "like",
        "limit",
        "natural",
        "not",
        "null",
        "offset",
        "on",
        "or",
        "order",
        "outer",
        "primary",
        "references",
        "right",
        "select",
        "session_user",
        "set",
        "some",
        "table",
        "then",
        "to",
        "trailing",
        "union",
        "unique",
        "user",
        "using",
        "values",
        "when",
        "where",
        "window",
        "with",
    ]
)  # reserved in ISO/IEC 9075 and by most engines; from memory
DATE = re.compile(r"^\d{1,2}[./]\d{1,2}[./]\d{2,4}$")


def _float(statement: Parsed) -> Iterator[str]:
    for one in statement.conditions:
        if isinstance(one, exp.EQ):
            for side in (one.this, one.expression):
                shape = statement.shape_of(side) if isinstance(side, exp.Column) else None
                if shape is not None and shape.kind in FLOATS:
                    yield statement.sql(one)


def _reserved(statement: Parsed) -> Iterator[str]:
    if isinstance(statement.tree, exp.Create):
        names = [one.this for one in statement.all(exp.ColumnDef)] + [one.this for one in statement.all(exp.Table)][:1]
        for name in names:
            if isinstance(name, exp.Identifier) and name.name.lower() in RESERVED:
                yield f"“{name.name}” is a word of the language"


def _quoted(statement: Parsed) -> Iterator[str]:
    if isinstance(statement.tree, exp.Create):
        for name in statement.all(exp.Identifier):
            if name.args.get("quoted") and name.name != name.name.lower() and statement.dialect == "postgres":
                yield f"“{name.name}” has to be quoted everywhere"


def _date(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Literal):
        if one.is_string and DATE.match(one.name):
            yield f"'{one.name}'"


def _between(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.Between):
        high = one.args.get("high")
        shape = statement.shape_of(one.this) if isinstance(one.this, exp.Column) else None
        day = isinstance(high, exp.Literal) and re.match(r"^\d{4}-\d{2}-\d{2}$", high.name) is not None
        if day and shape is not None and shape.kind.startswith("timestamp"):
            yield f"{statement.sql(one)} ends at midnight, before that day"


CHECKS = (
    TextCheck(
        "float_equality", "values", "Floating numbers are compared for equality", "plan", "What was computed is hardly ever equal to the last digit.",
        "Compare with a tolerance, or keep decimals.", "It changes the rows that come: that is the point.", 0.85, _float,
    ),
    TextCheck(
        "reserved_name", "values", "A name that is a word of the language", "note", "It has to be quoted wherever it is used, and the next engine may refuse it.", "Choose another name.",
        "Renaming breaks whoever uses it: do it before it goes out.", 0.7, _reserved,
    ),
    TextCheck(
        "mixed_case_name", "values", "A name with capital letters", "note", "Unquoted it is another name.", "Use small letters.", "Renaming breaks whoever uses it: do it before it goes out.", 0.8, _quoted,
    ),
    TextCheck(
        "date_of_unclear_order", "values", "A date whose order is not clear", "plan", "Which number is the month depends on the settings of the session.", "Write 2026-11-27.", "Safe.", 0.8, _date,
    ),
    TextCheck(
        "between_days_of_timestamps", "values", "A span of days that leaves out its last day", "plan", "BETWEEN ends at the first moment of the last day.",
        "Say >= the first day and < the day after the last.", "It changes the rows that come: that is the point.", 0.8, _between,
    ),
)  # fmt: skip
