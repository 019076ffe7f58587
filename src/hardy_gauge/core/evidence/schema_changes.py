"""What changed between two looks at a schema: tables, columns, indexes, options, as words with what was and what is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

MOST = 200
Body = Mapping[str, Any]


@dataclass(frozen=True)
class SchemaChange:
    """One change; ``object`` is the table or the index."""

    title: str
    object: str
    before: str = ""
    after: str = ""


def schema_changes(before: Body, after: Body) -> list[SchemaChange]:
    """Changes from one schema to the next, both as the protocol says them; the first 200 of them."""
    old, new = ({t["name"]: t for t in body["tables"]} for body in (before, after))
    found = [SchemaChange(f"table {name} was dropped", name, before="table") for name in old if name not in new]
    for name, table in new.items():
        if name not in old:
            found.append(SchemaChange(f"table {name} was created", name, after="table"))
        else:
            found += _of_table(name, old[name], table)
    return found[:MOST]


def _of_table(name: str, old: Body, new: Body) -> Iterator[SchemaChange]:
    was, now = ({c["name"]: c["type"] for c in t["columns"]} for t in (old, new))
    for column in sorted(was.keys() | now.keys()):
        if was.get(column) != now.get(column):
            words = f"column {name}.{column} " + _became(was.get(column), now.get(column), "added", "dropped")
            yield SchemaChange(words, name, was.get(column) or "", now.get(column) or "")
    has = {i["name"]: _index(i) for i in new["indexes"]}
    had = {i["name"]: _index(i) for i in old["indexes"]}
    for index in sorted(had.keys() | has.keys()):
        if had.get(index) != has.get(index):
            about = has.get(index) or had.get(index)
            words = f"index {index} on {about} " + _became(had.get(index), has.get(index), "created", "dropped")
            yield SchemaChange(words, index, had.get(index) or "", has.get(index) or "")
    if old.get("place") and new.get("place") and old["place"] != new["place"]:
        yield SchemaChange(
            f"table {name} moved from {old['place']} to {new['place']}", name, old["place"], new["place"]
        )
    options, before = new.get("options") or {}, old.get("options") or {}
    for option in sorted(options.keys() | before.keys()):
        if options.get(option) != before.get(option):
            words = f"option {option} of {name} changed from {before.get(option, 'its default')} to {options.get(option, 'its default')}"
            yield SchemaChange(words, name, before.get(option, ""), options.get(option, ""))


def _became(was: str | None, now: str | None, new: str, gone: str) -> str:
    if was is None:
        return f"was {new}"
    return f"was {gone}" if now is None else f"changed from {was} to {now}"


def _index(index: Body) -> str:
    """An index by what it is over; one that is not valid says so."""
    words = f"{index['table']} ({', '.join(index['columns'])})"
    words = (
        ("unique " if index.get("unique") else "")
        + words
        + (f" where {index['predicate']}" if index.get("predicate") else "")
    )
    return words if index.get("valid", True) else f"{words}, not valid"
