"""docs/checks-of-statements.md: every check of a statement's text, plan and figures, by family."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from hardy_gauge.core.checks.registry import EVERY

DOC = Path(__file__).parents[1] / "docs" / "checks-of-statements.md"
HEAD = """# Checks of statements

`hardy-gauge check PATH…` reads files of SQL (folders: every `*.sql` in them), says what is wrong with each statement, and on which line
it begins. `--schema FILE` gives it the definitions of the tables, or `--server NAME` the recorded schema of a server, so that types and
nulls are known; `--format json` and `--format sarif` (SARIF 2.1.0) are for programs; `--baseline FILE`, an earlier output of
`--format json`, leaves out what was known, though lines move and literals change. Exit 1: something of the grade `plan` (or
`--fail-from`) was found; 2: it could not be done.

Families "plan" and "figures" look at the plan that a server used last, and at what was recorded of the statement: they stand on the
Statement sheet with those of the text. Each check has its article in the Handbook.

The facts are common practice in the trade unless a source is named. **act** costs rows or gives wrong ones, **plan** costs time or breaks
one day, **note** is worth a look. How sure a check is stands in percent. This page is written by `make docs`.
"""


def page() -> str:
    """The whole page."""
    return HEAD + "\n".join(_families()) + "\n"


def _families() -> Iterator[str]:
    for family in dict.fromkeys(check.family for check in EVERY):
        yield f"\n## {family.capitalize()}\n"
        for check in EVERY:
            if check.family == family:
                yield f"### `{check.name}`\n"
                yield f"**{check.title}** ({check.grade}, {check.sure:.0%}). {check.why}"
                yield f"What to do: {check.remedy} To production: {check.safe[0].lower()}{check.safe[1:]}\n"
