"""Statistics of columns written into an empty copy, as ANALYZE would have left them (documentation, "pg_statistic")."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import psycopg

COMMON, HISTOGRAM, CORRELATION, COMMON_ELEMENTS, ELEMENT_COUNTS = 1, 2, 3, 4, 5
SLOTS = 5
_ANY = {"e": 3500, "r": 3831, "m": 4537}  # anyenum, anyrange, anymultirange
_ANY_ARRAY, _TEXT, _CHARACTER_VARYING = 2277, 25, 1043
# its words have statistics as elements of an array have
_SEARCH_VECTOR, _DEFAULT_COLLATION = 3614, 100

ATTRIBUTES = """
SELECT format('%I.%I', n.nspname, c.relname) AS relation, a.attname AS name, c.oid::int8 AS relid, a.attnum AS number, a.atttypid::int8 AS type,
       a.attcollation::int8 AS collation
FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE a.attnum > 0 AND NOT a.attisdropped AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'pg_toast')
"""
TYPES = "SELECT oid::int8 AS id, typtype::text AS kind, typbasetype::int8 AS base, typelem::int8 AS element, typlen AS length FROM pg_type"
OPERATORS = """
SELECT c.opcintype::int8 AS type, max(a.amopopr::int8) FILTER (WHERE a.amopstrategy = 3) AS equal, max(a.amopopr::int8) FILTER (WHERE a.amopstrategy = 1) AS less
FROM pg_opclass c JOIN pg_amop a ON a.amopfamily = c.opcfamily AND a.amoplefttype = c.opcintype AND a.amoprighttype = c.opcintype
WHERE c.opcmethod = 403 AND c.opcdefault GROUP BY 1
"""
RELABELLED = "SELECT castsource::int8 AS source, casttarget::int8 AS target FROM pg_cast WHERE castmethod = 'b' AND castcontext = 'i'"
_SLOT = ", ".join(["%s"] * SLOTS)
_VALUES = ", ".join(["array_in(%s, %s, -1)"] * SLOTS)
INSERT = (
    "INSERT INTO pg_catalog.pg_statistic (starelid, staattnum, stainherit, stanullfrac, stawidth, stadistinct, "
    + ", ".join(
        f"{name}{n}" for name in ("stakind", "staop", "stacoll", "stanumbers", "stavalues") for n in range(1, 6)
    )
    + f") VALUES (%s, %s, %s, %s, %s, %s, {_SLOT}, {_SLOT}, {_SLOT}, {_SLOT}, {_VALUES})"
)


@dataclass(frozen=True)
class _Slot:
    kind: int
    operator: int
    collation: int
    numbers: list[float] | None
    values: str | None = None
    type: int = 0


class StatisticsWriter:
    """Writes through ``connection``, whose user must be a superuser."""

    def __init__(self, connection: psycopg.Connection[Any]) -> None:
        self._connection = connection
        self._attributes = {(row["relation"], row["name"]): row for row in self._rows(ATTRIBUTES)}
        self._types = {row["id"]: row for row in self._rows(TYPES)}
        self._operators = {row["type"]: (row["equal"], row["less"]) for row in self._rows(OPERATORS)}
        self._targets: dict[int, list[int]] = {}
        for row in self._rows(RELABELLED):
            self._targets.setdefault(row["source"], []).append(row["target"])

    def _rows(self, sql: str) -> list[dict[str, Any]]:
        cursor = self._connection.execute(sql)
        names = [column.name for column in cursor.description or ()]
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]

    def write(self, statistics: Sequence[Mapping[str, Any]]) -> list[str]:
        """Put in what can be put in; returns what could not, each with the reason."""
        left_out = []
        for one in statistics:
            attribute = self._attributes.get((one["relation"], one["column"]))
            if attribute is None:
                left_out.append(f"statistics of {one['relation']}.{one['column']}: the column is not in the copy")
                continue
            try:
                with self._connection.transaction():
                    self._insert(one, attribute, self._slots(one, attribute))
            except psycopg.Error as error:
                left_out.append(
                    f"values in the statistics of {one['relation']}.{one['column']}: {' '.join(str(error).split())[:160]}"
                )
                self._insert(one, attribute, [])
        return left_out

    def _insert(self, one: Mapping[str, Any], attribute: Mapping[str, Any], slots: list[_Slot]) -> None:
        slots = slots[:SLOTS] + [_Slot(0, 0, 0, None)] * (SLOTS - len(slots))
        values = [part for slot in slots for part in (slot.values, slot.type)]
        self._connection.execute(
            INSERT,
            [
                attribute["relid"], attribute["number"], one["inherited"], one["null_frac"], one["avg_width"], one["n_distinct"],
                *(slot.kind for slot in slots), *(slot.operator for slot in slots), *(slot.collation for slot in slots),
                *(slot.numbers for slot in slots), *values,
            ],
        )  # fmt: skip

    def _slots(self, one: Mapping[str, Any], attribute: Mapping[str, Any]) -> list[_Slot]:
        type_ = self._base(attribute["type"])
        equal, less = self._operators_of(type_)
        collation, slots = attribute["collation"], []
        if one["common_values"] is not None and equal:
            slots.append(_Slot(COMMON, equal, collation, one["common_shares"], one["common_values"], type_))
        if one["histogram"] is not None and less:
            slots.append(_Slot(HISTOGRAM, less, collation, None, one["histogram"], type_))
        if one["correlation"] is not None and less:
            slots.append(_Slot(CORRELATION, less, collation, [one["correlation"]]))
        of_words = type_ == _SEARCH_VECTOR
        element = (
            _TEXT if of_words else self._base(self._types[type_]["element"]) if self._types[type_]["element"] else 0
        )
        collation = _DEFAULT_COLLATION if of_words else collation
        if element and one["common_elements"] is not None:
            equal, _ = self._operators_of(element)
            slots.append(
                _Slot(COMMON_ELEMENTS, equal, collation, one["element_shares"], one["common_elements"], element)
            )
            if one["element_counts"] is not None:
                slots.append(_Slot(ELEMENT_COUNTS, equal, collation, one["element_counts"]))
        return slots

    def _base(self, type_: int) -> int:
        while self._types[type_]["kind"] == "d":
            type_ = self._types[type_]["base"]
        return type_

    def _operators_of(self, type_: int) -> tuple[int, int]:
        """Those of equality and order by which ANALYZE sorts the type; zeros where it has none."""
        row = self._types[type_]
        candidates = [type_, *self._targets.get(type_, [])]
        if type_ == _CHARACTER_VARYING:
            candidates.insert(1, _TEXT)
        if row["kind"] in _ANY:
            candidates.append(_ANY[row["kind"]])
        if row["element"] and row["length"] == -1:
            candidates.append(_ANY_ARRAY)
        return next((self._operators[one] for one in candidates if one in self._operators), (0, 0))


def write_extended(connection: psycopg.Connection[Any], extended: Sequence[Mapping[str, Any]]) -> list[str]:
    """Numbers of distinct combinations and dependencies of columns; returns what could not be put in."""
    if not extended:
        return []
    left_out = []
    for name in ("pg_ndistinct", "pg_dependencies"):
        connection.execute(f"CREATE CAST (bytea AS {name}) WITHOUT FUNCTION")
    inherit = connection.info.server_version >= 150_000
    for one in extended:
        given = [bytes.fromhex(one[name]) if one[name] else None for name in ("distinct", "dependencies")]
        try:
            connection.execute(
                f"INSERT INTO pg_statistic_ext_data (stxoid, {'stxdinherit, ' if inherit else ''}stxdndistinct, stxddependencies) "
                f"SELECT oid, {'false, ' if inherit else ''}%s::bytea::pg_ndistinct, %s::bytea::pg_dependencies "
                "FROM pg_statistic_ext WHERE format('%%I.%%I', (SELECT nspname FROM pg_namespace n WHERE n.oid = stxnamespace), stxname) = %s",
                [*given, one["name"]],
            )
        except psycopg.Error as error:
            left_out.append(f"statistics {one['name']}: {' '.join(str(error).split())[:160]}")
    for name in ("pg_ndistinct", "pg_dependencies"):
        connection.execute(f"DROP CAST (bytea AS {name})")
    return left_out
