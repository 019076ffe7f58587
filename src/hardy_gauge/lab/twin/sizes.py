"""Sizes that relations have on the watched server, written into the empty copy: rows, pages, and pages that all transactions see."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import psycopg

_NUMBERS = "SELECT name, to_regclass(name)::oid::int8 FROM unnest(%s::text[]) AS known(name)"
_WRITE = """
UPDATE pg_class c SET reltuples = s.rows, relpages = s.pages, relallvisible = s.visible
FROM unnest(%s::float4[], %s::int4[], %s::int4[], %s::int8[]) AS s(rows, pages, visible, number)
WHERE c.oid = s.number::oid AND (c.reltuples, c.relpages, c.relallvisible) IS DISTINCT FROM (s.rows, s.pages, s.visible)
"""


@dataclass(frozen=True)
class KnownSizes:
    """By column, for relations that are in the copy; from ``known_sizes``."""

    columns: list[list[Any]]

    def write(self, connection: psycopg.Connection[Any]) -> None:
        """Only what is not so already is written."""
        connection.execute(_WRITE, self.columns)


def known_sizes(connection: psycopg.Connection[Any], sizes: Sequence[Sequence[Any]]) -> KnownSizes:
    """``sizes`` are rows, pages, pages that all see, and the name of a relation."""
    numbers: dict[str, int | None] = dict(connection.execute(_NUMBERS, [[one[3] for one in sizes]]).fetchall())
    rows = [(*one[:3], numbers[one[3]]) for one in sizes if numbers[one[3]] is not None]
    return KnownSizes([list(column) for column in zip(*rows, strict=True)] or [[], [], [], []])
