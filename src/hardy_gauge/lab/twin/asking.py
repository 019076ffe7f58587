"""Asking a twin for plans: as the server is, and with indexes, drops, settings and sizes that it does not have."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import psycopg
import sqlglot
from sqlglot import exp

from hardy_gauge.core.sql.normalise import TOKEN
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.instance import Instance
from hardy_gauge.lab.objects import ASKER
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.lab.twin.make import DATABASE, MOST_FILES, SIZES, read_description
from hardy_gauge.lab.twin.relation_files import SEGMENT_PAGES, grow_tree, length, lengthen, resize, tree_height
from hardy_gauge.lab.twin.sizes import KnownSizes, known_sizes
from hardy_gauge.probes.protocol import Column
from hardy_gauge.probes.sqlpack.engine_adapter import Placed
from hardy_gauge.probes.sqlpack.postgresql.explain import prepared_plan
from hardy_gauge.probes.sqlpack.postgresql.needed_space import PAGE_BYTES, needed_index_bytes

NAME = "asked"
PARAMETER = re.compile(r"\$\d+")
MOST_FACTOR = 1e6
COLUMNS = """
SELECT a.attname AS name, coalesce(s.stawidth, CASE WHEN a.attlen > 0 THEN a.attlen ELSE 16 END)::float8 AS width,
       CASE WHEN s.stadistinct < 0 THEN -s.stadistinct * greatest(t.reltuples, 0) WHEN s.stadistinct > 0 THEN s.stadistinct END::float8 AS "distinct",
       coalesce(s.stanullfrac, 0)::float8 AS nulls, CASE WHEN a.attlen < 0 THEN 1 ELSE CASE a.attalign WHEN 'd' THEN 8 WHEN 'i' THEN 4 WHEN 's' THEN 2 ELSE 1 END END AS align
FROM pg_index i JOIN pg_class t ON t.oid = i.indrelid CROSS JOIN LATERAL unnest(i.indkey) WITH ORDINALITY AS k(attnum, place)
     JOIN pg_attribute a ON a.attrelid = CASE WHEN k.attnum > 0 THEN i.indrelid ELSE i.indexrelid END AND a.attnum = CASE WHEN k.attnum > 0 THEN k.attnum ELSE k.place END
     LEFT JOIN pg_statistic s ON s.starelid = i.indrelid AND s.staattnum = k.attnum AND NOT s.stainherit
WHERE i.indexrelid = %s ORDER BY k.place
"""
# a table with its partitions, and the indexes of all of them
PARTS = """
WITH tables AS (SELECT relid AS oid FROM pg_partition_tree(%s) UNION SELECT %s::regclass)
SELECT c.oid::int8, pg_relation_filepath(c.oid) FROM pg_class c
WHERE c.oid IN (SELECT oid FROM tables) OR c.oid IN (SELECT indexrelid FROM pg_index WHERE indrelid IN (SELECT oid FROM tables))
"""
SCALED = """
UPDATE pg_class SET reltuples = CASE WHEN reltuples > 0 THEN reltuples * %s ELSE reltuples END,
       relpages = least(relpages * %s, 2147483647), relallvisible = least(relallvisible * %s, 2147483647) WHERE oid = %s
"""
MADE_UP = """
SELECT string_agg(c.oid::regclass::text, ', ') FROM pg_class c
WHERE c.relkind IN ('i', 'I') AND c.relname LIKE 'made\\_up\\_%' AND NOT c.relispartition
"""
VALID_AGAIN = """
UPDATE pg_index SET indisvalid = true FROM unnest(%s::text[]) AS known(name) WHERE indexrelid = to_regclass(known.name) AND NOT indisvalid
"""
NOT_THERE = "SELECT min(name) FROM unnest(%s::text[]) AS names(name) WHERE to_regclass(name) IS NULL"
SWITCHED = """
UPDATE pg_index SET indisvalid = %s WHERE indexrelid IN (
  SELECT to_regclass(name) FROM unnest(%s::text[]) AS names(name)
  UNION SELECT tree.relid FROM unnest(%s::text[]) AS names(name), pg_partition_tree(to_regclass(name)) AS tree)
"""
# an index is never made shorter than its tree of empty pages
TREE_PAGES = 16


@dataclass(frozen=True)
class WhatIf:
    """What is otherwise than on the server: ``indexes`` as "table(a, b)", with INCLUDE and WHERE where wanted; names of indexes that
    are not there (``drops``); settings; factors by which tables are larger (``rows``).
    """

    indexes: Sequence[str] = ()
    drops: Sequence[str] = ()
    settings: Mapping[str, str] = field(default_factory=dict)
    rows: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class MadeUpIndex:
    """An index that was made up: what was asked for, what it is called in plans, and the bytes that it would take."""

    asked: str
    name: str
    bytes: int


@dataclass(frozen=True)
class TwinAnswer:
    """A plan as the engine gives it; ``problem`` why there is none. ``for_values``: it was planned for the values in the text."""

    plan: dict[str, Any] | None
    for_values: bool
    problem: str = ""


class Twin:
    """A twin that runs; from ``open_twin``. What is otherwise is set by a superuser and taken back; plans are asked by a role that may
    do nothing else, so that no function of a foreign schema gets further than that.
    """

    def __init__(self, instance: Instance, values: str) -> None:
        self._instance, self._values = instance, values
        self._connection = instance.connect(DATABASE)
        self._connection.execute("SET client_min_messages = error")
        self._asker = instance.connect(DATABASE, ASKER)
        self._as_it_is()

    def close(self) -> None:
        self._asker.close()
        self._connection.close()

    def _as_it_is(self, drops: bool = True) -> None:
        """Take back what was made up, also what a killed process left. Making an index up sets the size of its table to that of the
        empty copy, so sizes are written anew.
        """
        (names,) = self._connection.execute(MADE_UP).fetchone() or (None,)
        if names:
            self._connection.execute(f"DROP INDEX {names}".encode())
        self._sizes.write(self._connection)
        if drops:
            self._connection.execute(VALID_AGAIN, [self._known["valid"]])

    @cached_property
    def _known(self) -> dict[str, Any]:
        known: dict[str, Any] = json.loads((self._instance.folder / SIZES).read_text())
        return known

    @cached_property
    def _sizes(self) -> KnownSizes:
        return known_sizes(self._connection, self._known["sizes"])

    @contextmanager
    def what_if(self, given: WhatIf) -> Iterator[list[MadeUpIndex]]:
        """Plans asked inside are as it would be; gives the indexes that were made up. InvalidInput names what cannot be."""
        lengths: dict[Path, int] = {}
        try:
            made = self._make_up(given.indexes)
            for table, factor in given.rows.items():
                self._scale(table, factor, lengths)
            for name in given.drops:
                self._found("drop", name, "iI")
            if given.drops:
                self.switch([], given.drops)
            for name, value in given.settings.items():
                self._set(name, value)
            yield made
        finally:
            for path, pages in lengths.items():
                resize(path, pages)
            if given.settings:
                self._asker.execute("RESET ALL")
            if given.indexes or given.rows or given.drops:
                self._as_it_is(bool(given.drops))

    def _set(self, name: str, value: str) -> None:
        try:
            self._asker.execute("SELECT set_config(%s, %s, false)", [name, value])
        except psycopg.Error as error:
            raise InvalidInput(f"setting: {error.diag.message_primary}", "setting") from error

    def _try(self, field_: str, sql: str, parameters: Sequence[Any] | None = None) -> psycopg.Cursor[Any]:
        try:
            return self._connection.execute(sql.encode(), parameters)
        except psycopg.Error as error:
            raise InvalidInput(
                f"{field_}: {error.diag.message_primary or ' '.join(str(error).split())}", field_
            ) from error

    def _found(self, field_: str, name: str, kinds: str) -> int:
        row = self._try(
            field_,
            "SELECT c.oid::int8 FROM pg_class c WHERE c.oid = to_regclass(%s) AND c.relkind = ANY (%s)",
            [name, list(kinds)],
        ).fetchone()
        if row is None:
            raise InvalidInput(f"{field_}: there is no {'index' if 'i' in kinds else 'table'} {name}", field_)
        return int(row[0])

    def _scale(self, table: str, factor: float, lengths: dict[Path, int]) -> None:
        """A table and its indexes, those of all its partitions too, as large as that."""
        if not 0 < factor <= MOST_FACTOR:
            raise InvalidInput(
                f"rows: the factor of {table} lies above 0 and at most {MOST_FACTOR:,.0f}, not {factor:g}", "rows"
            )
        oid, files = self._found("rows", table, "rpm"), 0
        for part, file in self._try("rows", PARTS, [oid, oid]).fetchall():
            self._connection.execute(SCALED, [factor, factor, factor, part])
            if file is not None:
                path = self._instance.data / file
                lengths[path] = length(path)
                files += 1 + round(lengths[path] * factor) // SEGMENT_PAGES
                if files > MOST_FILES:
                    raise InvalidInput(f"rows: {table} would be larger than {MOST_FILES:,} GB", "rows")
                resize(path, max(min(lengths[path], TREE_PAGES), round(lengths[path] * factor)))

    def _make_up(self, indexes: Sequence[str]) -> list[MadeUpIndex]:
        for number, asked in enumerate(indexes):
            self._try("index", index_command(asked, f"made_up_{number + 1}"))
        if indexes:
            self._sizes.write(self._connection)
        return [
            MadeUpIndex(asked, f"made_up_{number + 1}", self._sized(f"made_up_{number + 1}"))
            for number, asked in enumerate(indexes)
        ]

    def _sized(self, name: str) -> int:
        """Give a made-up index the size that it would have; returns its bytes."""
        row = self._connection.execute(
            "SELECT c.oid::int8, pg_relation_filepath(c.oid), i.indrelid::int8, pg_get_expr(i.indpred, i.indrelid), m.amname, i.indisunique "
            "FROM pg_class c JOIN pg_index i ON i.indexrelid = c.oid JOIN pg_am m ON m.oid = c.relam WHERE c.relname = %s AND NOT c.relispartition", [name],
        ).fetchone()  # fmt: skip
        assert row is not None
        oid, file, table, predicate, method, unique = row
        parts = [(oid, file, table)] if file else self._parts_of(oid)
        return sum(self._size(index, path, of, predicate, method, unique) for index, path, of in parts)

    def _parts_of(self, index: int) -> list[tuple[int, str, int]]:
        """The indexes of the partitions under a partitioned one."""
        return self._connection.execute(
            "SELECT t.relid::int8, pg_relation_filepath(t.relid), i.indrelid::int8 FROM pg_partition_tree(%s) t JOIN pg_index i ON i.indexrelid = t.relid WHERE t.isleaf", [index]
        ).fetchall()  # fmt: skip

    def _size(self, index: int, file: str, table: int, predicate: str | None, method: str, unique: bool) -> int:
        """Give a made-up index the rows and the length that it would have; returns its bytes."""
        found = self._connection.execute(
            "SELECT greatest(reltuples, 0)::float8, %s::regclass::text FROM pg_class WHERE oid = %s", [table, table]
        ).fetchone()
        assert found is not None
        rows, name = found
        if predicate:
            asked = self.plan(f"SELECT 1 FROM ONLY {name} WHERE {predicate}")
            if asked.plan is None:
                raise InvalidInput(f"index: {asked.problem}", "index")
            rows = min(rows, float(asked.plan["Plan Rows"]))
        columns = [
            Placed(Column(name=c, type="", width_bytes=width, distinct=distinct, null_share=nulls), align)
            for c, width, distinct, nulls, align in self._connection.execute(COLUMNS, [index]).fetchall()
        ]
        pages = max(2, needed_index_bytes(rows, columns, unique) // PAGE_BYTES)
        path = self._instance.data / file
        if method == "btree":
            grow_tree(path, tree_height(pages, sum(one.column.width_bytes for one in columns)))
        lengthen(path, pages)
        self._connection.execute(
            "UPDATE pg_class SET reltuples = %s, relpages = %s WHERE oid = %s", [rows, pages, index]
        )
        return pages * PAGE_BYTES

    def check(self, asked: str) -> None:
        """InvalidInput where an index cannot be made up; nothing stays."""
        with self._connection.transaction(force_rollback=True):
            self._try("index", index_command(asked, "made_up_0"))

    def switch(self, on: Iterable[str], off: Iterable[str]) -> None:
        """Whether the planner may use these indexes, those of the partitions of a partitioned one too. InvalidInput names one that is not
        there: nothing must be taken for needless since it was not found.
        """
        with self._connection.transaction():
            for names, valid in ((list(on), True), (list(off), False)):
                (missing,) = self._connection.execute(NOT_THERE, [names]).fetchone() or (None,)
                if missing is not None:
                    raise InvalidInput(f"drop: there is no index {missing}", "drop")
                self._connection.execute(SWITCHED, [valid, names, names])
        self._asker.execute("DISCARD PLANS")

    def given(self, text: str) -> str:
        """The text as it is planned: with parameters in place of values where those mean nothing here."""
        return text if self._values == "kept" else with_parameters(text)

    def plan(self, text: str) -> TwinAnswer:
        """The plan of one statement, for its values where they mean something here, otherwise for any; nothing of it is run."""
        given = self.given(text)
        generic = bool(PARAMETER.search(given))
        answer = self._plan(given, generic)
        if answer.problem and given != text:  # where a value may not be a parameter
            return self._plan(text, bool(PARAMETER.search(text)))
        return answer

    def _plan(self, text: str, generic: bool) -> TwinAnswer:
        try:
            if not generic:
                (document,) = self._asker.execute(f"EXPLAIN (FORMAT JSON) {text}".encode(), binary=True).fetchone() or (
                    [],
                )
                document = json.loads(document) if isinstance(document, str | bytes) else document
            else:
                document = self._generic(text)
        except psycopg.Error as error:
            return TwinAnswer(None, not generic, error.diag.message_primary or " ".join(str(error).split()))
        finally:
            if generic:
                self._asker.execute("DEALLOCATE ALL")
        return TwinAnswer(document[0]["Plan"], not generic)

    def _generic(self, text: str) -> Any:
        self.prepare(NAME, text)
        return self.prepared(NAME)

    def prepare(self, name: str, text: str) -> None:
        """Keep a text with parameters for ``prepared``; psycopg.Error where the server does not understand it."""
        self._asker.execute("SET plan_cache_mode = force_generic_plan")
        self._asker.execute(f"PREPARE {name} AS {text}".encode(), binary=True)

    def prepared(self, name: str) -> Any:
        """The plan of a kept text for any values, as the engine gives it."""
        return prepared_plan(self._asker, name)


def index_command(asked: str, name: str) -> str:
    """The command for "table(a, b)", with USING, INCLUDE and WHERE where they are given; InvalidInput where it is no index."""
    command = f"CREATE INDEX {name} ON {asked}"
    try:
        parsed = sqlglot.parse(command, read="postgres")
    except sqlglot.errors.SqlglotError as error:
        raise InvalidInput(f"index: {asked!r} is not such as table(a, b)", "index") from error
    if len(parsed) != 1 or not isinstance(parsed[0], exp.Create) or parsed[0].args.get("kind") != "INDEX":
        raise InvalidInput(f"index: {asked!r} is not such as table(a, b)", "index")
    return command


def with_parameters(text: str) -> str:
    """The text with a parameter in place of each value."""
    number = max((int(one[1:]) for one in PARAMETER.findall(text)), default=0)
    out, at = [], 0
    for match in TOKEN.finditer(text):
        if match.lastgroup in ("string", "number") or (match["string"] is not None):
            number += 1
            out += [text[at : match.start()], f"${number}"]
            at = match.end()
    return "".join([*out, text[at:]])


@contextmanager
def open_twin(folder: Path) -> Iterator[Twin]:
    """Start the twin in a folder for a while. InvalidInput where none lies there."""
    described = read_description(folder)
    inside = folder / "instance"
    instance = Instance(
        programs_for(described.major), inside.resolve() if inside.exists() else Path(described.instance)
    )
    instance.start({"autovacuum": "off", "max_connections": "10"})
    try:
        twin = Twin(instance, described.values)
        try:
            yield twin
        finally:
            twin.close()
    finally:
        instance.stop()
