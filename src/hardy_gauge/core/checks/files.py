"""Checks over files with many statements: what is found where, without what was known before."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from hardy_gauge.core.checks.check import GRADES, Grade, at_least
from hardy_gauge.core.checks.registry import checked
from hardy_gauge.core.checks.schema_text import tables_of
from hardy_gauge.core.checks.statement import TableShape
from hardy_gauge.core.sql.normalise import fingerprint
from hardy_gauge.core.sql.predicates import Unreadable
from hardy_gauge.core.sql.split import split

UNREADABLE = "cannot_be_read"
# a client's own commands begin so; the last ends the rows that follow a COPY … FROM stdin
CLIENT, ENDS_ROWS = "\\", "\\."
COPIES = re.compile(r"^\s*copy\b.*\bfrom\s+stdin\b", re.IGNORECASE)


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
    lines = _statements_only(text)
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


def _statements_only(text: str) -> str:
    """The text line by line, without what a client does itself and the rows that follow a COPY."""
    kept, rows = [], False
    for line in text.split("\n"):
        kept.append("" if rows or line.startswith(CLIENT) else line)
        rows = line.strip() != ENDS_ROWS if rows else COPIES.match(line) is not None
    return "\n".join(kept)


def as_text(found: Sequence[FileFinding]) -> str:
    """A line each, as compilers write them, and how many there are of each grade."""
    lines = [f"{one.file}:{one.line}: {one.grade}: {one.message} {one.remedy} [{one.check}]" for one in found]
    counts = {grade: sum(one.grade == grade for one in found) for grade in reversed(GRADES)}
    said = ", ".join(f"{count} {grade}" for grade, count in counts.items() if count)
    return "\n".join([*lines, said or "Nothing was found."])


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
