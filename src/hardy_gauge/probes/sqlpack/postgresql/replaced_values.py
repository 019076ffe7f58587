"""Values inside statistics, replaced by others in the same order.

Values of one type are replaced together, so that what is equal in two columns stays equal and what is smaller stays smaller: joins and
ranges over columns are estimated as before, and no value leaves the server. Types without a replacement lose their lists of values.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

LISTS = ("common_values", "histogram")
_EPOCH = datetime(2000, 1, 1, tzinfo=UTC)
_KINDS = {
    "smallint": "small", "integer": "whole", "bigint": "whole", "numeric": "fraction", "real": "fraction", "double precision": "fraction",
    "text": "text", "character varying": "text", "character": "text", "name": "text", "citext": "text", "date": "date",
    "timestamp without time zone": "time", "timestamp with time zone": "time",
}  # fmt: skip
# labels that stand in the definition of the type
_OPEN = ("boolean", "enum")


def split_array(text: str) -> list[str | None]:
    """The elements of a one-dimensional array in PostgreSQL's text form (documentation, "Array Input and Output Syntax")."""
    body = text[1:-1]
    if not body:
        return []
    found: list[str | None] = []
    for quoted, plain in re.findall(r'"((?:[^"\\]|\\.)*)"(?:,|$)|([^",]+)(?:,|$)', body):
        if plain:
            found.append(None if plain == "NULL" else plain)
        else:
            found.append(re.sub(r"\\(.)", r"\1", quoted, flags=re.S))
    return found


def join_array(values: Sequence[str | None]) -> str:
    """The reverse of ``split_array``."""
    return "{" + ",".join("NULL" if v is None else '"' + re.sub(r'(["\\])', r"\\\1", v) + '"' for v in values) + "}"


def replace_values(statistics: Sequence[dict[str, Any]]) -> list[str]:
    """Replace in place; returns what lost its lists instead."""
    lost: list[str] = []
    by_kind: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for one in statistics:
        if one["common_elements"] is not None:
            one.update(common_elements=None, element_shares=None, element_counts=None)
            lost.append(f"common elements of {one['relation']}.{one['column']}: values are not kept")
        if all(one[name] is None for name in LISTS) or one["type"] in _OPEN or one["type_kind"] == "e":
            continue
        kind = _KINDS.get(one["type"])
        if kind is None:
            lost.append(
                f"common values and histogram of {one['relation']}.{one['column']}: values of type {one['type']} are not replaced"
            )
            one.update(common_values=None, common_shares=None, histogram=None)
        else:
            by_kind[kind].append(one)
    for kind, ones in by_kind.items():
        _replace_kind(kind, ones)
    return lost


def _replace_kind(kind: str, ones: Sequence[dict[str, Any]]) -> None:
    key = _KEYS.get(kind, str)
    seen = {value for one in ones for name in LISTS for value in split_array(one[name] or "{}") if value is not None}
    made = {
        value: _made(kind, number) for number, value in enumerate(sorted((v for v in seen if not _endless(v)), key=key))
    }
    for one in ones:
        common, bounds = (
            [v if v is None else made.get(v, v) for v in split_array(one[name] or "{}")] for name in LISTS
        )
        if kind == "text":  # a column's collation may order them otherwise, and its bounds have to rise
            bounds = [*sorted(v for v in bounds if v is not None)]
        for name, values in zip(LISTS, (common, bounds), strict=True):
            if one[name] is not None:
                one[name] = join_array(values)


def _endless(value: str) -> bool:
    return value in ("infinity", "-infinity", "NaN", "Infinity", "-Infinity") or value.endswith(" BC")


def _made(kind: str, number: int) -> str:
    if kind in ("whole", "fraction"):
        return str(number * 10)
    if kind == "small":
        return str(number - 2**15)
    if kind == "text":
        return f"v{number:07d}"
    day = _EPOCH + timedelta(days=number)
    return day.strftime("%Y-%m-%d") + ("" if kind == "date" else " 00:00:00")


def _moment(value: str) -> float:
    """Of a date or a time in the ISO style, with or without its zone's offset."""
    moment = datetime.fromisoformat(re.sub(r"([+-]\d\d)$", r"\1:00", value))
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


_KEYS: dict[str, Callable[[str], Any]] = {
    "small": int,
    "whole": int,
    "fraction": float,
    "date": _moment,
    "time": _moment,
}
