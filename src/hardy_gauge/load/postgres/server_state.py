"""What is on a lab server before a trial: whether an arm can be made there, and the commands that set everything back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import psycopg
import sqlglot
from psycopg import sql
from sqlglot import exp

from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import ArmSpec, Workload
from hardy_gauge.load.postgres.way_back import Command
from hardy_gauge.probes.protocol import IndexSpec

OF_SESSIONS = ("user", "superuser", "backend", "superuser-backend")
POWERS = """
SELECT rolsuper OR EXISTS (
  SELECT 1 FROM pg_roles p WHERE p.rolname IN ('pg_execute_server_program', 'pg_read_server_files', 'pg_write_server_files')
  AND pg_has_role(current_user, p.oid, 'MEMBER'))
FROM pg_roles WHERE rolname = current_user
"""
SETTING = """
SELECT s.setting || coalesce(CASE WHEN s.vartype IN ('integer', 'real') THEN s.unit END, ''), s.sourcefile, s.pending_restart,
       pg_has_role(current_user, 'pg_read_all_settings', 'USAGE')
FROM pg_settings s WHERE s.name = %s
"""
MAY_ALTER = {
    True: "SELECT r.rolsuper OR (has_parameter_privilege(%s, 'ALTER SYSTEM') AND has_function_privilege('pg_reload_conf()', 'EXECUTE')) FROM pg_roles r WHERE r.rolname = current_user",
    False: "SELECT r.rolsuper AND %s IS NOT NULL FROM pg_roles r WHERE r.rolname = current_user",
}
PRIVILEGES_OF_SETTINGS = 150000  # since this version they can be granted
TABLE = """
SELECT c.oid, pg_has_role(current_user, c.relowner, 'USAGE'),
       (SELECT array_agg(a.attname::text) FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped)
FROM pg_class c WHERE c.oid = to_regclass(%s) AND c.relkind IN ('r', 'p', 'm')
"""
INDEX = """
SELECT pg_get_indexdef(i.indexrelid), pg_has_role(current_user, c.relowner, 'USAGE'),
       CASE WHEN EXISTS (SELECT 1 FROM pg_constraint k WHERE k.conindid = i.indexrelid) THEN 'a constraint stands on it'
            WHEN i.indisreplident THEN 'replication knows rows by it' WHEN i.indisclustered THEN 'the table was ordered by it'
            WHEN c.reltablespace <> 0 THEN 'it lies in a tablespace of its own' WHEN c.relkind = 'I' OR c.relispartition THEN 'it is of a partitioned table'
            WHEN obj_description(c.oid, 'pg_class') IS NOT NULL THEN 'a comment is kept with it'
            WHEN EXISTS (SELECT 1 FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attstattarget >= 0) THEN 'its statistics have a target of their own'
            WHEN NOT i.indisvalid THEN 'it is not valid' ELSE '' END,
       format('%%I.%%I', n.nspname, c.relname), n.nspname, c.relname
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE i.indexrelid = to_regclass(%s)
"""


def check_player(player: psycopg.Connection[Any], named: bool) -> None:
    """BadTrial where whoever plays may read files or run programs of the server: statements may be anybody's."""
    row = player.execute(POWERS).fetchone()
    if row is None or row[0]:
        field = "target.player" if named else "target.account"
        detail = (
            f"{field}: statements would be played by a role that may run programs or read files of the server; name in "
            "target.player an entry of the keyring for a role that may do to the tables what the statements do, and nothing else"
        )
        raise BadTrial(detail, field)


def check_texts(workload: Workload, writes: bool) -> None:
    """BadTrial where a text is no single query or write, or writes where nothing written is to stay."""
    for number, one in enumerate(workload.statements):
        field = f"workload.statements.{number}.{'steps' if one.steps else 'sql'}"
        for text, _ in one.calls():
            kind = kind_of(text)
            if kind == "other":
                raise BadTrial(f"{field}: one query, or one INSERT, UPDATE, DELETE or MERGE, was expected", field)
            if kind == "writes" and not writes:
                detail = f"{field}: it writes, and what it writes stays on the server; write target.keep_writes: true where that may be"
                raise BadTrial(detail, field)


def kind_of(text: str) -> str:
    """ "reads", "writes" or "other"; what cannot be read is left to the server, which keeps sessions from writing."""
    try:
        trees = [tree for tree in sqlglot.parse(text, read="postgres") if tree is not None]
    except sqlglot.errors.SqlglotError:
        return "reads"
    writes = exp.Insert | exp.Update | exp.Delete | exp.Merge
    if len(trees) != 1 or not isinstance(trees[0], exp.Query | exp.Values | writes):
        return "other"
    return "writes" if trees[0].find(exp.Insert, exp.Update, exp.Delete, exp.Merge, exp.Lock, exp.Into) else "reads"


def only_reads(text: str) -> bool:
    """Whether a text certainly changes nothing: one query that is understood and calls no function that somebody may have written."""
    try:
        tree = sqlglot.parse_one(text, read="postgres")
    except sqlglot.errors.SqlglotError:
        return False
    return kind_of(text) == "reads" and tree.find(exp.Anonymous, exp.Command) is None


def way_back_of_setting(session: psycopg.Connection[Any], name: str, field: str) -> Command:
    """How a setting of the whole server comes back to what it is now; BadTrial where that cannot be told, or may not be done."""
    row = session.execute(SETTING, [name]).fetchone()
    may = session.execute(MAY_ALTER[session.info.server_version >= PRIVILEGES_OF_SETTINGS].encode(), [name]).fetchone()
    if may is None or not may[0]:
        grant = f"GRANT ALTER SYSTEM ON PARAMETER {name}, and EXECUTE ON FUNCTION pg_reload_conf(), TO it (PostgreSQL 15 and later), or take a superuser"
        raise BadTrial(f"{field}: the account may not change it for the whole server; {grant}", field)
    assert row is not None
    value, file, pending, reads = row
    if not reads:
        raise BadTrial(f"{field}: the account cannot see where it is set; GRANT pg_read_all_settings TO it", field)
    if pending:
        raise BadTrial(f"{field}: a change of it waits for a restart of the server; restart it first", field)
    own = bool(file) and str(file).endswith("postgresql.auto.conf")
    what = sql.SQL("ALTER SYSTEM SET {} = {}") if own else sql.SQL("ALTER SYSTEM RESET {}")
    parts = [sql.Identifier(name), *([sql.Literal(str(value))] if own else [])]
    words = (
        f"{name} is set to {value} again" if own else f"{name} is as the server's other files have it again: {value}"
    )
    return Command(what.format(*parts).as_string(session), words)


def check_added(session: psycopg.Connection[Any], field: str, arm: ArmSpec) -> None:
    """BadTrial where a table, a column or the right to build an index is missing."""
    for index in arm.add_indexes:
        row = session.execute(TABLE, [index.table]).fetchone()
        problem = ""
        if row is None:
            problem = f"there is no table {index.table} in the database {session.info.dbname}"
        elif not row[1]:
            problem = f"the account does not own {index.table}, which building an index wants"
        elif missing := [one for one in index.columns if one not in row[2]]:
            problem = f"{index.table} has no column {missing[0]}"
        elif index.name and session.execute("SELECT to_regclass(%s)", [index_name(index, "")]).fetchone() != (None,):
            problem = f"there is already something with the name {index.name}; leave the name out"
        if problem:
            raise BadTrial(f"{field}.add_indexes: {problem}", f"{field}.add_indexes")


def index_name(index: IndexSpec, made: str) -> str:
    """The name of an index that is added, in the schema of its table where that is named; ``made`` where it has none of its own."""
    schema, name = index.table.rpartition(".")[0], index.name or made
    return f"{schema}.{name}" if schema else name


def ways_back_of_dropped(session: psycopg.Connection[Any], field: str, names: Sequence[str]) -> dict[str, Command]:
    """How indexes that an arm does without are built again, by name; BadTrial where one cannot be had back just as it was."""
    found = {}
    for name in names:
        row = session.execute(INDEX, [name]).fetchone()
        problem = "there is no index of that name" if row is None else "" if row[1] else "the account does not own it"
        problem = problem or (row[2] if row else "")
        if problem or row is None:
            raise BadTrial(f"{field}.drop_indexes: {name}: {problem}", f"{field}.drop_indexes")
        definition = str(row[0]).replace("INDEX ", "INDEX IF NOT EXISTS ", 1)
        found[name] = Command(definition, f"index {row[3]} is built again")
    return found


def options_of(settings: Iterable[tuple[str, str]]) -> str:
    """Settings of a session as the options of its connection (PostgreSQL documentation, "options" of libpq)."""
    return " ".join(f"-c {name}={_escaped(value)}" for name, value in settings)


def _escaped(value: str) -> str:
    return value.replace("\\", "\\\\").replace(" ", "\\ ")
