"""Values for the parameters of a statement, from a text of it that was recorded with its values."""

from __future__ import annotations

from hardy_gauge.core.sql.literals import literals
from hardy_gauge.core.sql.normalise import TOKEN

Bound = str | None


def parameter_values(statement: str, text: str) -> list[Bound] | None:
    """Of ``$1``, ``$2`` and so on of the statement, as they stand in the text; None where the text has not as many values as the statement has
    places, a parameter that stands twice has two values, or a value is written as only some engines write them.
    """
    places = [int(one.group()[1:]) for one in TOKEN.finditer(statement) if one.lastgroup == "parameter"]
    found = literals(text)
    if (
        not places
        or found is None
        or len(found) != len(places)
        or sorted(set(places)) != list(range(1, max(places) + 1))
    ):
        return None
    values: dict[int, Bound] = {}
    for place, one in zip(places, found, strict=True):
        known, value = _value(one.value)
        if not known or values.setdefault(place, value) != value:
            return None
    return [values[place] for place in sorted(values)]


def _value(written: str) -> tuple[bool, Bound]:
    lower = written.lower()
    if lower == "null":
        return True, None
    if written[0] == "'":
        inside = written[1:-1]
        return "\\" not in inside, inside.replace("''", "'")
    return lower in ("true", "false") or written[0] in "-+.0123456789", written
