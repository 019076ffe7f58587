"""Checks over files with many statements: what is found where, without what was known before."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from hardy_gauge.core.checks.check import Grade, at_least
from hardy_gauge.core.checks.registry import checked
from hardy_gauge.core.checks.schema_text import tables_of
from hardy_gauge.core.checks.statement import TableShape
from hardy_gauge.core.sql.normalise import fingerprint
from hardy_gauge.core.sql.predicates import Unreadable
from hardy_gauge.core.sql.split import split

UNREADABLE = "cannot_be_read"
# a client's own commands in a script, and rows that follow a COPY, are no statements
CLIENT = "\\"


@dataclass(frozen=True)
class FileFinding:
    """One thing found in a statement of a file; ``line`` is where the statement begins."""

    file: str
    line: int
    statement: str
    check: str
    grade: Grade
    message: str
    remedy: str

    @property
    def identity(self) -> tuple[str, str, str]:
        """What it stays though lines move and literals change."""
        return self.file, self.check, fingerprint(self.statement)


def check_text(file: str, text: str, dialect: str, tables: Mapping[str, TableShape]) -> list[FileFinding]:
    """Everything found in a file's statements, in their order; a statement that cannot be read is said, and the rest goes on."""
    found = []
    lines = "\n".join("" if line.startswith(CLIENT) else line for line in text.split("\n"))
    fresh = frozenset(tables_of(lines, dialect))
    for cut in split(lines):
        try:
            seen = checked(cut.sql, dialect, tables, fresh)
        except Unreadable as error:
            words = f"The statement cannot be read, so it was not checked: {error}"
            found.append(
                FileFinding(file, cut.line, cut.sql, UNREADABLE, "note", words, "Give the dialect it is written in.")
            )
            continue
        found += [
            FileFinding(file, cut.line, cut.sql, one.check.name, one.check.grade, one.message, one.check.remedy)
            for one in seen
        ]
    return found


def without_known(found: Iterable[FileFinding], known: Iterable[FileFinding]) -> list[FileFinding]:
    """Those that are not of before: each that was known counts for one of now."""
    left: dict[tuple[str, str, str], int] = {}
    for one in known:
        left[one.identity] = left.get(one.identity, 0) + 1
    new = []
    for one in found:
        if left.get(one.identity, 0):
            left[one.identity] -= 1
        else:
            new.append(one)
    return new


def fails(found: Sequence[FileFinding], least: Grade) -> bool:
    """Whether one of them is of the grade from which on a build is to stop."""
    return any(at_least(one.grade, least) for one in found)
