"""What an arm of a trial is on a PostgreSQL: settings that may be tried, indexes that are built and dropped, statements that it takes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict
from typing import Any

import psycopg
from psycopg import sql

from hardy_gauge.core.trials.soundness import Checked
from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.arrivals import due_times
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import ArmSpec, CheckSpec, Value, Workload, WorkloadStatement
from hardy_gauge.probes.protocol import IndexSpec

SHOWN = (
    "shared_buffers",
    "work_mem",
    "effective_cache_size",
    "max_wal_size",
    "synchronous_commit",
    "fsync",
    "random_page_cost",
    "jit",
)
# numbers and choices alone: a text setting may name programs and files
THAT_MAY = """FROM pg_settings
WHERE vartype <> 'string' AND context <> 'internal' AND name NOT IN ('port', 'max_connections', 'superuser_reserved_connections')
  AND (category LIKE 'Resource Usage%' OR category LIKE 'Write-Ahead Log%' OR category LIKE 'Query Tuning%' OR category LIKE 'Autovacuum%'
       OR category LIKE 'Lock Management%' OR category LIKE 'Statistics%' OR category LIKE 'Client Connection Defaults / Statement Behavior%')
"""
ALLOWED = f"SELECT name, context {THAT_MAY}"
# what a probe's reader of settings takes
CHOICES = f"""
SELECT name, setting AS value, unit, vartype, boot_val AS default, min_val AS minimum, max_val AS maximum, enumvals AS choices,
       CASE context WHEN 'postmaster' THEN 'at restart' ELSE 'at once' END AS applies, short_desc AS description {THAT_MAY} ORDER BY name
"""
CHECK_S = 60
MOST_VALUES = 200
COLUMN = """
SELECT s.most_common_vals::text::text[], s.most_common_freqs::float8[], s.histogram_bounds::text::text[]
FROM pg_stats s JOIN pg_class c ON c.relname = s.tablename JOIN pg_namespace n ON n.oid = c.relnamespace AND n.nspname = s.schemaname
WHERE c.oid = to_regclass(%s) AND s.attname = %s ORDER BY s.inherited DESC LIMIT 1
"""
NameOf = Callable[[IndexSpec, int], str]


def setting_text(value: Value) -> str:
    """A value as the server's files have it."""
    return ("on" if value else "off") if isinstance(value, bool) else str(value)


def contexts_of(connection: psycopg.Connection[Any]) -> dict[str, str]:
    """Settings that may be tried, with when a change of each takes effect."""
    return {row[0]: row[1] for row in connection.execute(ALLOWED.encode()).fetchall()}


def check_names(field: str, names: Iterable[str], contexts: dict[str, str]) -> None:
    """BadTrial where a setting is none that may be tried; ``field`` is where they are written."""
    for name in names:
        if name not in contexts:
            detail = (
                f"{field}.{name}: there is no such setting of numbers or choices, or it is not one to be tried here"
            )
            raise BadTrial(detail, f"{field}.{name}")


def check_without_restart(steps: Sequence[ArmSpec], contexts: dict[str, str]) -> None:
    """BadTrial where a step cannot be made while the server works."""
    for number, step in enumerate(steps):
        for name in step.settings:
            if contexts.get(name) == "postmaster":
                field = f"steps.{number}.settings.{name}"
                raise BadTrial(f"{field}: it wants a restart, and so cannot be changed while the load runs", field)


def add_indexes(
    owner: psycopg.Connection[Any], field: str, indexes: Sequence[IndexSpec], name_of: NameOf, how: str = ""
) -> None:
    """Build them; ``how`` is ``CONCURRENTLY `` under load."""
    for number, index in enumerate(indexes):
        command = sql.SQL("CREATE {}INDEX {}{} ON {} ({})").format(
            sql.SQL("UNIQUE " if index.unique else ""),
            sql.SQL(how),
            sql.Identifier(name_of(index, number)),
            sql.Identifier(*index.table.split(".")),
            sql.SQL(", ").join(sql.Identifier(one) for one in index.columns),
        )
        try:
            owner.execute(command)
        except psycopg.Error as error:
            raise BadTrial(f"{field}.add_indexes: {said(error)}", f"{field}.add_indexes") from error


def drop_indexes(owner: psycopg.Connection[Any], field: str, names: Sequence[str], how: str = "") -> None:
    """Drop them; ``how`` as in ``add_indexes``."""
    for name in names:
        try:
            owner.execute(sql.SQL("DROP INDEX {}{}").format(sql.SQL(how), sql.Identifier(*name.split("."))))
        except psycopg.Error as error:
            raise BadTrial(f"{field}.drop_indexes: {said(error)}", f"{field}.drop_indexes") from error


def check_statements(player: psycopg.Connection[Any], statements: Sequence[WorkloadStatement]) -> None:
    """BadTrial where the server does not take one, or other values are drawn than it has parameters."""
    for number, one in enumerate(statements):
        field = f"workload.statements.{number}.{'steps' if one.steps else 'sql'}"
        for text, places in one.calls():
            try:
                player.execute(f"PREPARE tried AS {text}".encode(), binary=True)
                row = player.execute(
                    "SELECT cardinality(parameter_types) FROM pg_prepared_statements WHERE name = 'tried'"
                ).fetchone()
                if row is not None and row[0] != len(places):
                    raise BadTrial(f"{field}: it has {row[0]} parameters, and {len(places)} are drawn", field)
                nothing = f"({', '.join(['NULL'] * len(places))})" if places else ""
                player.execute(f"EXPLAIN EXECUTE tried{nothing}".encode())  # asks for its rights too
                player.execute("DEALLOCATE tried")
            except psycopg.Error as error:
                raise BadTrial(f"{field}: {said(error)}", field) from error


def check_checks(asker: psycopg.Connection[Any], checks: Sequence[CheckSpec]) -> None:
    """BadTrial where the server does not take the query of one."""
    for number, one in enumerate(checks):
        try:
            asker.execute(f"EXPLAIN {one.sql}".encode(), binary=True)
        except psycopg.Error as error:
            field = f"workload.checks.{number}.sql"
            raise BadTrial(f"{field}: {said(error)}", field) from error


def asked_checks(asker: psycopg.Connection[Any], checks: Sequence[CheckSpec]) -> list[Checked]:
    """Ask each after a run; its query may take ``CHECK_S``."""
    found = []
    if checks:
        asker.execute(f"SET statement_timeout = '{CHECK_S}s'".encode())
    for one in checks:
        try:
            row = asker.execute(one.sql.encode(), binary=True).fetchone()
            found.append(Checked(one.name, row is None, "" if row is None else str(row)[:200]))
        except psycopg.Error as error:
            found.append(Checked(one.name, None, said(error)[:200]))
    return found


def drawn_from_columns(asker: psycopg.Connection[Any], workload: Workload) -> Workload:
    """The workload with the values that columns have by their statistics, where parameters name a column. BadTrial where none are known."""
    statements = [one.model_copy(update={"parameters": list(one.parameters)}) for one in workload.statements]
    for number, one in enumerate(statements):
        for place, parameter in enumerate(one.parameters):
            if parameter.column is None:
                continue
            table, _, column = parameter.column.rpartition(".")
            values = values_of_column(asker, table, column)
            if not values:
                field = f"workload.statements.{number}.parameters.{place}.column"
                raise BadTrial(f"{field}: no statistics of {parameter.column} are known to this role there", field)
            one.parameters[place] = parameter.model_copy(update={"values": values})
    return workload.model_copy(update={"statements": statements})


def values_of_column(session: psycopg.Connection[Any], table: str, column: str) -> list[str]:
    """Common values as often as they are, and bounds of the others, each of which stands for an equal part of the rest; empty where the
    statistics of a column are not known.
    """
    row = session.execute(COLUMN, [table, column]).fetchone()
    if row is None:
        return []
    common, shares, bounds = (list(one or []) for one in row)
    of_common = [
        value for value, share in zip(common, shares, strict=True) for _ in range(max(1, round(share * MOST_VALUES)))
    ]
    rest = max(1, round((1 - min(sum(shares), 1.0)) * MOST_VALUES)) if bounds else 0
    return [*of_common, *_spread(bounds, rest)]


def _spread(bounds: Sequence[str], many: int) -> list[str]:
    """So many of them, evenly from the first to the last."""
    if many >= len(bounds):
        return list(bounds)
    return [bounds[round(at * (len(bounds) - 1) / max(many - 1, 1))] for at in range(many)]


def settings_in_force(connection: psycopg.Connection[Any], more: Iterable[str]) -> dict[str, str]:
    """As the server tells them to this session: those that are always shown, and ``more``."""
    query = "SELECT name, current_setting(name) FROM pg_settings WHERE name = ANY (%s)"
    names = list(dict.fromkeys([*SHOWN, *more]))
    return {name: str(value) for name, value in connection.execute(query, [names]).fetchall()}


def asked_of(workload: Workload, seconds: float, seed: int) -> dict[str, Any]:
    """What the workers of a run are told."""
    return {
        "seconds": seconds, "seed": seed, "due": due_times(workload.arrival, seconds, seed), "pace": asdict(workload.arrival.pace()),
        "statements": [one.document() for one in workload.statements],
    }  # fmt: skip


def changed_settings(arms: Iterable[ArmSpec]) -> list[str]:
    """Names of all settings that some arm changes."""
    return list(dict.fromkeys(name for arm in arms for name in arm.settings))
