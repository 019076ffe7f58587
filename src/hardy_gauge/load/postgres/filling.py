"""What a PostgreSQL that is made for a trial is filled with, by a role that may do nothing beyond its database."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from importlib import resources
from typing import Any

import psycopg

from hardy_gauge.core.proof.results import MadeTable
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.instance import Instance
from hardy_gauge.lab.made import fill as made_rows
from hardy_gauge.lab.made.calls import said
from hardy_gauge.lab.objects import ASKER, MAKER, let_ask
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import MadePostgres, StandardData
from hardy_gauge.load.postgres.arms import contexts_of
from hardy_gauge.load.postgres.csv_files import load_csv
from hardy_gauge.load.postgres.dumps import restore
from hardy_gauge.load.standard.maker import definitions, index_definitions, rows_of
from hardy_gauge.probes.protocol import PlannerFacts

DATABASE = "trial"
FILL_TIMEOUT = "600s"
Scripts = Sequence[tuple[str, str]]


@dataclass(frozen=True)
class Filled:
    """The name of the database, when a setting takes effect of those that may be tried, and what is to be known of the data."""

    database: str
    contexts: dict[str, str]
    cautions: list[str] = field(default_factory=list)


def fill(base: Instance, place: MadePostgres, scripts: Scripts, facts: PlannerFacts | None) -> Filled:
    """Start it, fill it and stop it. BadTrial names the script, or the part of the facts, that is wrong."""
    base.start({"autovacuum": "off"})
    try:
        database, cautions = (
            _fill_by_scripts(base, place, scripts) if facts is None else _fill_by_facts(base, place, facts)
        )
        with base.connect(database) as owner:
            owner.execute(f"ALTER ROLE {ASKER} SET statement_timeout = 0")
            return Filled(database, contexts_of(owner), cautions)
    finally:
        base.stop()


def _fill_by_scripts(base: Instance, place: MadePostgres, scripts: Scripts) -> tuple[str, list[str]]:
    with base.connect() as owner:
        owner.execute(
            f"CREATE ROLE {MAKER} LOGIN; ALTER ROLE {MAKER} SET statement_timeout = '{FILL_TIMEOUT}'".encode()
        )
        owner.execute(f"CREATE DATABASE {DATABASE} OWNER {MAKER}")
    cautions: list[str] = []
    with base.connect(DATABASE, MAKER) as maker:
        for name, script in scripts:
            try:
                maker.execute(script.encode())
            except psycopg.Error as error:
                raise BadTrial(f"target.postgresql: {name}: {said(error)}", "target.postgresql") from error
        if place.standard is not None:
            maker.execute("SET statement_timeout = 0")  # its commands are ours, and its rows may be many
            try:
                fill_standard(maker, place.standard)
            except psycopg.Error as error:
                raise BadTrial(f"target.postgresql.standard: {said(error)}", "target.postgresql.standard") from error
        if place.folder is not None:
            load_csv(maker, sorted(place.folder.glob("*.csv")))
        if place.dump is not None:
            cautions = restore(base, maker, place.dump)
            maker.execute("RESET ALL")
            maker.execute(f"SET statement_timeout = '{FILL_TIMEOUT}'".encode())
        maker.execute("VACUUM ANALYZE")
    with base.connect(DATABASE) as owner:
        let_ask(owner)
    return DATABASE, cautions


def major_of_facts(facts: PlannerFacts) -> int:
    """The major version of the server whose they are; BadTrial where they are none that are known here."""
    try:
        return made_rows.major_of(facts)
    except InvalidInput as error:
        raise BadTrial(f"target.postgresql: {error}", "target.postgresql") from error


def _fill_by_facts(base: Instance, place: MadePostgres, facts: PlannerFacts) -> tuple[str, list[str]]:
    """The objects of the server, and rows made from its statistics."""
    try:
        made = made_rows.fill_instance(base, facts, place.rows)
    except InvalidInput as error:
        raise BadTrial(f"target.postgresql: {error}", "target.postgresql") from error
    with made.owner() as maker:
        maker.execute(f"ALTER ROLE CURRENT_USER SET statement_timeout = '{FILL_TIMEOUT}'".encode())
        maker.execute("VACUUM ANALYZE")
    return made_rows.DATABASE, [_rows_words(made.tables), *made.cautions]


def _rows_words(tables: Sequence[MadeTable]) -> str:
    there, rows = sum(one.rows_there for one in tables), sum(one.rows for one in tables)
    return f"the {rows:,} rows are made from statistics, of {there:,.0f} that are there: times here are not those of the server"


def fill_standard(maker: psycopg.Connection[Any], data: StandardData) -> None:
    """Make the tables of a standard set, their rows and indexes."""
    for command in definitions(data.set, "postgresql"):
        maker.execute(command.encode())
    for table, rows in rows_of(data.set, data.scale, data.seed):
        copy = psycopg.sql.SQL("COPY {} FROM STDIN (FORMAT csv)").format(psycopg.sql.Identifier(table))
        with maker.cursor() as cursor, cursor.copy(copy) as into:
            into.write(rows.write_csv(include_header=False))
    for command in index_definitions(data.set, "postgresql"):
        maker.execute(command.encode())


def scripts_of(place: MadePostgres) -> list[tuple[str, str]]:
    """Texts that fill it, by name."""
    if place.standard is not None or place.dump is not None:
        return []
    if place.folder is None:
        source = resources.files("hardy_gauge.load") / "samples" / f"{place.sample}.postgresql.sql"
        return [(f"sample {place.sample}", source.read_text(encoding="utf-8"))]
    if not place.folder.is_dir():
        raise BadTrial(f"target.postgresql.folder: {place.folder} is not a folder", "target.postgresql.folder")
    found = sorted(place.folder.glob("*.sql"))
    if not found and not any(place.folder.glob("*.csv")):
        raise BadTrial(
            f"target.postgresql.folder: {place.folder} holds no .sql or .csv file", "target.postgresql.folder"
        )
    try:
        return [(path.name, path.read_text(encoding="utf-8")) for path in found]
    except (OSError, UnicodeDecodeError) as error:
        raise BadTrial(f"target.postgresql.folder: {error}", "target.postgresql.folder") from error
