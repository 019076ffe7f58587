"""A database with made data in an instance of our own: the objects of a watched one, fewer rows where it is large, values drawn from its
statistics, keys that hold, references that find their row. Everything is done by a role that may do nothing beyond it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

import numpy as np
import polars as pl
import psycopg

from hardy_gauge.core.proof.results import MadeTable
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.instance import Instance, remove_leftovers
from hardy_gauge.lab.made.layouts import TableLayout, read_layouts
from hardy_gauge.lab.made.values import ColumnStatistics, Drawn, Values, draw_column, read_statistics, within
from hardy_gauge.lab.objects import (
    ASKER,
    MAKER,
    create_database,
    create_extensions,
    create_objects,
    let_ask,
    write_settings,
)
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import FORMAT

DATABASE = "made"
MOST_ROWS, MOST_BYTES = 400_000, 512 * 2**20
WHOLE = 1000  # tables of fewer rows are not made smaller
FILL_S = 300
TEMPORARY = "temp_file_limit"
REFERENCES = """
SELECT conrelid::regclass::text, quote_ident(conname), pg_get_constraintdef(oid) FROM pg_constraint
WHERE contype IN ('f', 'c') AND conrelid <> 0 AND coninhcount = 0 AND conparentid = 0 AND connamespace::regnamespace::text NOT LIKE 'pg\\_%' AND connamespace <> 'information_schema'::regnamespace
ORDER BY contype, oid
"""


class Made:
    """A database that was filled, while its instance runs. ``values`` tells whether those of its statistics are the rows' own ("kept") or
    others in the same order ("replaced").
    """

    def __init__(
        self, instance: Instance, tables: Sequence[MadeTable], cautions: Sequence[str], factor: float, values: str
    ) -> None:
        self.instance, self.tables, self.cautions, self.factor = instance, list(tables), list(cautions), factor
        self.values = values

    def connect(self) -> psycopg.Connection[Any]:
        """As a role that may read and write the tables and nothing else."""
        connection = self.instance.connect(DATABASE, ASKER)
        connection.execute("SET default_transaction_read_only = off")
        return connection

    def owner(self) -> psycopg.Connection[Any]:
        """As who made the tables: it may build and drop indexes."""
        return self.instance.connect(DATABASE, MAKER)


@contextmanager
def made_database(
    facts: PlannerFacts, most_rows: int = MOST_ROWS, seed: int = 1
) -> Iterator[Made]:  # fmt: skip
    """Make one of a server's planner facts and take it away afterwards; of at most about so many rows in all. InvalidInput where the
    facts are none that are known here, Unsupported where no PostgreSQL is installed.
    """
    remove_leftovers()
    programs = programs_for(major_of(facts))
    instance = Instance.made(programs, None, ["--encoding=UTF8", "--locale=C"])
    try:
        instance.start({"autovacuum": "off", TEMPORARY: f"{4 * MOST_BYTES // 1024}kB", "max_connections": "60"})
        yield fill_instance(instance, facts, most_rows, seed)
    finally:
        instance.remove()


def major_of(facts: PlannerFacts) -> int:
    """The server's major version. InvalidInput where the facts are none that are known here."""
    version = facts.document.get("version")
    if facts.document.get("format") != FORMAT or not isinstance(version, int):
        raise InvalidInput("bundle: it holds no planner facts in a form that is known here", "bundle")
    return version // 10_000


def fill_instance(instance: Instance, facts: PlannerFacts, most_rows: int = MOST_ROWS, seed: int = 1) -> Made:
    """Fill one that runs and is empty; as ``made_database``."""
    major_of(facts)
    try:
        return _filled(instance, facts.document, facts.values, most_rows, seed)
    except (KeyError, TypeError, AttributeError) as error:
        detail = f"bundle: what its planner knows is not as expected: {' '.join(str(error).split())[:200]}"
        raise InvalidInput(detail, "bundle") from error


def _filled(instance: Instance, document: Mapping[str, Any], values: str, most_rows: int, seed: int) -> Made:
    cautions: list[str] = []
    create_database(instance, document, DATABASE, cautions)
    with instance.connect(DATABASE) as owner, instance.connect(DATABASE, MAKER) as maker:
        owner.execute("SET client_min_messages = error")
        cautions += create_extensions(owner, document["extensions"])
        cautions += create_objects(maker, document["definitions"])
        write_settings(instance, owner, document["settings"], [])
        owner.execute("SELECT pg_reload_conf()")
        maker.execute(f"SET statement_timeout = '{FILL_S}s'")
        shapes = read_layouts(maker)
        there = {one["name"]: max(float(one["rows"]), 0.0) for one in document["relations"] if one["kind"] in "rm"}
        size = sum((one["blocks"] or 0) * 8192 for one in document["relations"] if one["kind"] in "rm")
        large = sum(rows for rows in there.values() if rows > WHOLE)
        factor = min(1.0, most_rows / max(large, 1.0), MOST_BYTES / max(size, 1.0))
        held = _let_go(maker)
        tables = _Filler(maker, document, factor, seed, cautions, values == "replaced").all(shapes, there)
        cautions += _hold_again(maker, held)
        maker.execute("ANALYZE")
        let_ask(owner)
    return Made(instance, tables, cautions, factor, values)


def _let_go(maker: psycopg.Connection[Any]) -> list[tuple[str, str, str]]:
    """Drop references and conditions until the rows are there."""
    held = maker.execute(REFERENCES.encode()).fetchall()
    for table, name, definition in held:
        if definition.startswith(("FOREIGN", "CHECK")):
            maker.execute(f"ALTER TABLE {table} DROP CONSTRAINT {name}".encode())
    return held


def _hold_again(maker: psycopg.Connection[Any], held: Sequence[tuple[str, str, str]]) -> list[str]:
    problems = []
    for table, name, definition in held:
        command = f"ALTER TABLE {table} ADD CONSTRAINT {name} {definition}"
        try:
            maker.execute(command.encode())
        except psycopg.Error:
            try:
                maker.execute(f"{command} NOT VALID".encode())
                problems.append(f"constraint {name} of {table}: made rows break it, so it holds for new rows alone")
            except psycopg.Error as error:
                problems.append(f"constraint {name} of {table}: {' '.join(str(error).split())[:120]}")
    return problems


class _Filler:
    """Fills one table after the other; keeps the keys that others refer to."""

    def __init__(
        self, maker: psycopg.Connection[Any], document: Mapping[str, Any], factor: float, seed: int, cautions: list[str],
        replaced: bool,
    ) -> None:  # fmt: skip
        self._maker, self._factor, self._cautions, self._replaced = maker, factor, cautions, replaced
        self._draw = np.random.default_rng(seed)
        self._known = {(one["relation"], one["column"]): one for one in document["statistics"] if not one["inherited"]}
        self._filled: dict[str, dict[str, Values]] = {}

    def all(self, shapes: Sequence[TableLayout], there: Mapping[str, float]) -> list[MadeTable]:
        tables = []
        for shape in shapes:
            rows = there.get(shape.name, 0.0)
            wanted = round(rows) if rows <= WHOLE else max(WHOLE, round(rows * self._factor))
            tables.append(MadeTable(shape.name, rows, self._fill(shape, wanted * shape.times) if wanted else 0))
        return tables

    def _fill(self, shape: TableLayout, rows: int) -> int:
        columns = self._values(shape, rows)
        frame = pl.DataFrame({name: pl.Series(name, list(values), dtype=pl.String) for name, values in columns.items()})
        for key in shape.keys:
            known = [name for name in key if name in frame.columns]
            if len(known) == len(key):
                frame = frame.unique(known, keep="first", maintain_order=True)
        try:
            count = self._copy(shape, frame)
        except psycopg.Error as error:
            self._cautions.append(f"{shape.name}: no rows could be made: {' '.join(str(error).split())[:160]}")
            return 0
        if not count:
            self._cautions.append(f"{shape.name}: no made row fits into this partition, so it stays empty")
        self._filled[shape.name] = {name: frame[name].to_numpy() for name in frame.columns}
        return count

    def _values(self, shape: TableLayout, rows: int) -> dict[str, Values]:
        alone = {key[0] for key in shape.keys if len(key) == 1}
        found: dict[str, Drawn] = {}
        for column in shape.columns:
            row = self._known.get((shape.name, column.name))
            known: ColumnStatistics | None = read_statistics(self._maker, row, column) if row is not None else None
            if shape.condition and self._replaced:
                known = within(self._maker, column, shape.condition, known)
            found[column.name] = draw_column(column, known, rows, column.name in alone, self._draw)
        for key in shape.foreign:
            self._refer(shape, key.columns, key.parent, key.parent_columns, found, rows)
        return {name: one.values for name, one in found.items()}

    def _refer(
        self, shape: TableLayout, columns: Sequence[str], parent: str, parents: Sequence[str], found: dict[str, Drawn], rows: int
    ) -> None:  # fmt: skip
        """Give the referring columns the keys of rows of the parent, each drawn value its own row, so that what is frequent stays so."""
        kept = self._filled.get(parent) if parent != shape.name else {name: one.values for name, one in found.items()}
        if kept is None or any(name not in kept for name in parents):
            return
        many = len(kept[parents[0]])
        if not many:
            return
        first = found[columns[0]]
        _, code = np.unique(first.values.astype(str), return_inverse=True)
        place = self._draw.permutation(many)[code % many]
        for name, of in zip(columns, parents, strict=True):
            values = kept[of][place].copy()
            values[first.nulls] = None
            found[name] = Drawn(values, first.nulls)

    def _copy(self, shape: TableLayout, frame: pl.DataFrame) -> int:
        names = ", ".join(psycopg.sql.Identifier(name).as_string(self._maker) for name in frame.columns)
        body = frame.write_csv(include_header=False, null_value="\\N", quote_style="necessary").encode()
        with self._maker.transaction():
            into = shape.name
            if shape.condition:
                into = "drawn"
                self._maker.execute(f"CREATE TEMPORARY TABLE drawn (LIKE {shape.name}) ON COMMIT DROP".encode())
            with self._maker.cursor() as cursor:
                with cursor.copy(f"COPY {into} ({names}) FROM STDIN (FORMAT csv, NULL '\\N')".encode()) as copy:
                    copy.write(body)
                count = cursor.rowcount
            if shape.condition:
                count = self._maker.execute(
                    f"INSERT INTO {shape.name} SELECT * FROM drawn WHERE ({shape.condition}) IS NOT FALSE ON CONFLICT DO NOTHING".encode()
                ).rowcount
        return count
