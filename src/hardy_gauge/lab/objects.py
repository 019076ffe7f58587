"""The objects of a watched database, made anew in an instance of our own: by roles that may do nothing beyond it, since what a bundle
says may be anybody's.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

import psycopg
from psycopg import sql

from hardy_gauge.lab.instance import Instance
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import PLANNERS

# who makes the objects, and who asks: neither may do anything beyond the database
MAKER, ASKER = "maker", "asker"
MAKES = re.compile(
    r"CREATE (SCHEMA|TYPE|DOMAIN|TABLE|(UNIQUE )?INDEX|VIEW|STATISTICS|OR REPLACE (FUNCTION|PROCEDURE))\b|ALTER TABLE\b"
)
# a table that is made of a query would run it
OF_QUERY = re.compile(r"CREATE TABLE\b.*\bAS\s*(\(|(SELECT|WITH|TABLE|VALUES|EXECUTE)\b)", re.IGNORECASE | re.DOTALL)
# not trusted by PostgreSQL itself, but of types and index methods only
OF_TYPES = {"bloom", "earthdistance", "postgis", "vector"}
PLANNERS_SETTINGS = f"SELECT name FROM pg_settings WHERE {PLANNERS}"
TRIES = 4


def create_database(instance: Instance, document: Mapping[str, Any], name: str, cautions: list[str]) -> None:
    """An empty one of that name, with the server's encoding and order of texts; owned by the maker."""
    create = sql.SQL("CREATE DATABASE {} OWNER {} TEMPLATE template0 ENCODING {}").format(
        sql.Identifier(name), sql.Identifier(MAKER), sql.Literal(str(document["encoding"]))
    )
    order = sql.SQL(" LC_COLLATE {} LC_CTYPE {}").format(
        sql.Literal(str(document["collate"])), sql.Literal(str(document["ctype"]))
    )
    with instance.connect() as connection:
        connection.execute(f"CREATE ROLE {MAKER} LOGIN")
        for setting, value in (
            ("check_function_bodies", "off"),
            ("client_min_messages", "error"),
            ("statement_timeout", "30s"),
        ):
            connection.execute(f"ALTER ROLE {MAKER} SET {setting} = '{value}'")
        try:
            connection.execute(create + order)
        except psycopg.Error:
            cautions.append(f"the order of texts: {document['collate']} is not known on this machine, C is taken")
            connection.execute(create)


def create_extensions(connection: psycopg.Connection[Any], extensions: Sequence[Mapping[str, str]]) -> list[str]:
    """By the superuser, and nothing but their names, of those that make types and operators: what a bundle says is run by nobody who
    may do more than make tables.
    """
    left_out = []
    query = "SELECT name FROM pg_available_extension_versions WHERE trusted"
    trusted = {name for (name,) in connection.execute(query).fetchall()}
    for one in extensions:
        if one["name"] not in trusted | OF_TYPES:
            left_out.append(f"extension {one['name']}: it is not here, or may do more than make types and operators")
            continue
        name, schema = sql.Identifier(one["name"]), sql.Identifier(one["schema"])
        try:
            connection.execute(sql.SQL("CREATE SCHEMA IF NOT EXISTS {}").format(schema))
            connection.execute(sql.SQL("CREATE EXTENSION IF NOT EXISTS {} SCHEMA {}").format(name, schema))
        except psycopg.Error as error:
            left_out.append(f"extension {one['name']}: {' '.join(str(error).split())[:160]}")
    connection.execute(sql.SQL("GRANT ALL ON SCHEMA public TO {}").format(sql.Identifier(MAKER)))
    return left_out


def create_objects(maker: psycopg.Connection[Any], definitions: Sequence[Mapping[str, str]]) -> list[str]:
    """Run every definition; what fails since something is not there yet is tried again after the others. Returns what stays undone."""
    problems = dict[str, str]()
    left = [one for one in definitions if _makes(one["sql"])]
    undone = [
        f"{one['what']}: it makes no object of a kind that is copied" for one in definitions if not _makes(one["sql"])
    ]
    for _ in range(TRIES):
        again = []
        for one in left:
            try:
                maker.execute(one["sql"].encode(), binary=True)  # one command and no more
            except psycopg.Error as error:
                problems[one["what"]] = " ".join(str(error).split())[:160]
                again.append(one)
        if len(again) in (0, len(left)):
            left = again
            break
        left = again
    return undone + [f"{one['what']}: {problems[one['what']]}" for one in left]


def _makes(definition: str) -> bool:
    """Whether a definition makes an empty object and does nothing else."""
    return MAKES.match(definition) is not None and OF_QUERY.match(definition) is None


def write_settings(
    instance: Instance, connection: psycopg.Connection[Any], settings: Mapping[str, str], cautions: list[str]
) -> None:
    """As they are there, for every start of the instance."""
    known = {name for (name,) in connection.execute(PLANNERS_SETTINGS).fetchall()}
    lines = []
    for name, value in settings.items():
        if name in known and "\n" not in value:
            quoted = value.replace("\\", "\\\\").replace("'", "''")
            lines.append(f"{name} = '{quoted}'\n")
        else:
            cautions.append(f"setting {name}: version {instance.programs.major} has none of that name for its planner")
    with open(instance.data / "postgresql.conf", "a") as file:
        file.writelines(["\n# the planner's settings as they are on the watched server\n", *lines])


def let_ask(connection: psycopg.Connection[Any]) -> None:
    """A role that may do to the tables what statements do, and nothing else; nothing is run by it but EXPLAIN."""
    connection.execute(f"CREATE ROLE {ASKER} LOGIN")
    for name, value in (
        ("statement_timeout", "10s"),
        ("default_transaction_read_only", "on"),
        ("client_min_messages", "error"),
    ):
        connection.execute(f"ALTER ROLE {ASKER} SET {name} = '{value}'")
    cursor = connection.execute(
        "SELECT quote_ident(nspname) FROM pg_namespace WHERE nspname NOT LIKE 'pg\\_%' AND nspname <> 'information_schema'"
    )
    for (schema,) in cursor.fetchall():
        connection.execute(f"GRANT USAGE ON SCHEMA {schema} TO {ASKER}")
        connection.execute(f"GRANT ALL ON ALL TABLES IN SCHEMA {schema} TO {ASKER}")
