"""Making a twin: an instance, the objects, their statistics, files of the right length."""

from __future__ import annotations

import json
import re
import shutil
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.lab.instance import PREFIX, Instance, keep, unprivileged
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.lab.twin.relation_files import SEGMENT_PAGES, grow_tree, lengthen, tree_height
from hardy_gauge.lab.twin.sizes import known_sizes
from hardy_gauge.lab.twin.statistics import StatisticsWriter, write_extended
from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.probes.sqlpack.postgresql.needed_space import PAGE_BYTES
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import FORMAT, PLANNERS

DESCRIPTION = "twin.json"
DATABASE = "twin"
SIZES = "sizes.json"
# who makes the objects, and who asks for plans: neither may do anything beyond the twin's database
MAKER, ASKER = "maker", "asker"
MAKES = re.compile(
    r"CREATE (SCHEMA|TYPE|DOMAIN|TABLE|(UNIQUE )?INDEX|VIEW|STATISTICS|OR REPLACE (FUNCTION|PROCEDURE))\b|ALTER TABLE\b"
)
# a table that is made of a query would run it
OF_QUERY = re.compile(r"CREATE TABLE\b.*\bAS\s*(\(|(SELECT|WITH|TABLE|VALUES|EXECUTE)\b)", re.IGNORECASE | re.DOTALL)
# not trusted by PostgreSQL itself, but of types and index methods only
OF_TYPES = {"bloom", "earthdistance", "postgis", "vector"}
MOST_FILES = 30_000
PLANNERS_SETTINGS = f"SELECT name FROM pg_settings WHERE {PLANNERS}"
TRIES = 4
USUAL_KEY = 16.0


@dataclass(frozen=True)
class TwinDescription:
    """What a twin's folder says of it; ``cautions`` are what it cannot plan as the server does, and why."""

    format: str
    server: str
    database: str
    version: int
    major: int
    made_us: int
    values: str
    instance: str
    tables: int
    indexes: int
    cautions: list[str]


def make_twin(facts: PlannerFacts, server: str, out: Path, stays: bool = True) -> TwinDescription:
    """Make the twin of a server in the folder ``out``, which must be empty or not there; it outlives this process where it ``stays``.

    InvalidInput where the facts are none of a PostgreSQL's, Unsupported where no programs are installed; nothing is left then.
    """
    document = facts.document
    if document.get("format") != FORMAT:
        raise InvalidInput("bundle: it holds no planner facts in a form that is known here", "bundle")
    if document["block_size"] != PAGE_BYTES:
        raise InvalidInput(f"server: its blocks have {document['block_size']} bytes; twins have {PAGE_BYTES}", "server")
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise Conflict(f"out: {out} is not an empty folder", "out")
    programs = programs_for(document["version"] // 10_000)
    cautions = list(facts.left_out)
    if programs.major != document["version"] // 10_000:
        cautions.append(
            f"the server has version {document['version'] // 10_000}, the twin version {programs.major}: its planner may choose otherwise"
        )
    if facts.values == "replaced":
        cautions.append(
            "values inside statistics were replaced: conditions are planned as for a value that is not known"
        )
    out.mkdir(parents=True, exist_ok=True)
    instance = Instance.made(
        programs,
        _place(out),
        ["--encoding=UTF8", "--locale=C", *(["--no-data-checksums"] if programs.major >= 18 else [])],
    )
    try:
        relations = _fill(instance, document, cautions)
        description = TwinDescription(
            "hardy-gauge twin 1", server, document["database"], document["version"], programs.major, facts.at_us, facts.values,
            str(instance.folder), sum(one["kind"] in "rpm" for one in document["relations"]),
            sum(one["kind"] in "iI" for one in document["relations"]), cautions,
        )  # fmt: skip
        _size_files(instance, document, relations)
    except (psycopg.Error, KeyError, TypeError, AttributeError) as error:
        _undo(instance, out)
        detail = f"bundle: what its planner knows is not as expected: {' '.join(str(error).split())[:200]}"
        raise InvalidInput(detail, "bundle") from error
    except BaseException:
        _undo(instance, out)
        raise
    (out / DESCRIPTION).write_text(json.dumps(asdict(description), indent=1))
    if stays:
        keep(instance.folder)
    return description


def _undo(instance: Instance, out: Path) -> None:
    instance.remove()
    shutil.rmtree(out, ignore_errors=True)


def _place(out: Path) -> Path:
    """Inside ``out``; where whom PostgreSQL runs as may not go there, in a temporary folder to which ``out`` has a link."""
    user, inside = unprivileged(), out.resolve() / "instance"
    if user is None or all(
        parent.stat().st_mode & 0o001 or parent.stat().st_uid == user.pw_uid for parent in inside.parents
    ):
        return inside
    made = Path(tempfile.mkdtemp(prefix=f"{PREFIX}twin-"))
    inside.symlink_to(made)
    return made


def remove_twin(out: Path) -> None:
    """Take a twin's folder away, and its instance wherever it lies."""
    described = read_description(out)
    shutil.rmtree(described.instance, ignore_errors=True)
    shutil.rmtree(out, ignore_errors=True)


def read_description(out: Path) -> TwinDescription:
    """InvalidInput where the folder holds no twin."""
    try:
        return TwinDescription(**json.loads((out / DESCRIPTION).read_text()))
    except (OSError, ValueError, TypeError) as error:
        raise InvalidInput(f"{out}: no twin lies here; `hardy-gauge twin make` makes one", "folder") from error


def _fill(instance: Instance, document: Mapping[str, Any], cautions: list[str]) -> list[dict[str, Any]]:
    """Objects and statistics; returns the copy's relations with their files."""
    instance.start({"autovacuum": "off"})
    try:
        _create_database(instance, document, cautions)
        with instance.connect(DATABASE) as connection:
            connection.execute("SET client_min_messages = error")
            cautions += _extensions(connection, document["extensions"])
            with instance.connect(DATABASE, MAKER) as maker:
                cautions += _create(maker, document["definitions"])
            _settings(instance, connection, document["settings"], cautions)
            with connection.transaction():
                cautions += StatisticsWriter(connection).write(document["statistics"])
            cautions += write_extended(connection, document["extended"])
            _sizes(instance, connection, document["relations"])
            _let_ask(connection)
            cursor = connection.execute(
                "SELECT format('%I.%I', n.nspname, c.relname), pg_relation_filepath(c.oid) FROM pg_class c "
                "JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'i', 'm')"
            )
            files = [{"name": name, "file": file} for name, file in cursor.fetchall()]
            connection.execute("CHECKPOINT")
    finally:
        instance.stop()
    return files


def _create_database(instance: Instance, document: Mapping[str, Any], cautions: list[str]) -> None:
    create = sql.SQL("CREATE DATABASE {} OWNER {} TEMPLATE template0 ENCODING {}").format(
        sql.Identifier(DATABASE), sql.Identifier(MAKER), sql.Literal(str(document["encoding"]))
    )
    order = sql.SQL(" LC_COLLATE {} LC_CTYPE {}").format(
        sql.Literal(str(document["collate"])), sql.Literal(str(document["ctype"]))
    )
    with instance.connect() as connection:
        connection.execute(f"CREATE ROLE {MAKER} LOGIN")
        for name, value in (
            ("check_function_bodies", "off"),
            ("client_min_messages", "error"),
            ("statement_timeout", "30s"),
        ):
            connection.execute(f"ALTER ROLE {MAKER} SET {name} = '{value}'")
        try:
            connection.execute(create + order)
        except psycopg.Error:
            cautions.append(f"the order of texts: {document['collate']} is not known on this machine, C is taken")
            connection.execute(create)


def _extensions(connection: psycopg.Connection[Any], extensions: Sequence[Mapping[str, str]]) -> list[str]:
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


def _create(maker: psycopg.Connection[Any], definitions: Sequence[Mapping[str, str]]) -> list[str]:
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


def _settings(
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


def _sizes(instance: Instance, connection: psycopg.Connection[Any], relations: list[dict[str, Any]]) -> None:
    sizes = [(one["rows"], one["pages"], one["all_visible"], one["name"]) for one in relations]
    known_sizes(connection, sizes).write(connection)
    known = {
        "sizes": [size for size, one in zip(sizes, relations, strict=True) if one["kind"] in "rpm"],
        "valid": [one["name"] for one in relations if one["kind"] in "iI" and one["valid"]],
    }
    (instance.folder / SIZES).write_text(json.dumps(known))
    with connection.transaction(), connection.cursor() as cursor:
        cursor.executemany(
            "UPDATE pg_index SET indisvalid = false WHERE indexrelid = to_regclass(%s)",
            [(one["name"],) for one in relations if one["valid"] is False and one["kind"] == "i"],
        )


def _let_ask(connection: psycopg.Connection[Any]) -> None:
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


def _size_files(instance: Instance, document: Mapping[str, Any], relations: list[dict[str, Any]]) -> None:
    by_name = {one["name"]: one["file"] for one in relations}
    widths: dict[str, float] = {}
    for one in document["statistics"]:
        widths.setdefault(f"{one['relation']}.{one['column']}", float(one["avg_width"]))
    keys = document["keys"]
    files = 0
    for one in document["relations"]:
        pages, file = one["blocks"], by_name.get(one["name"])
        files += 1 + (pages or 0) // SEGMENT_PAGES
        if files > MOST_FILES:
            detail = f"bundle: its tables are larger than {MOST_FILES:,} GB in all, which no twin can be made of"
            raise InvalidInput(detail, "bundle")
        if not pages or file is None:
            continue
        path = instance.data / file
        if one["method"] == "btree":
            key = sum(widths.get(column, USUAL_KEY) for column in keys.get(one["name"], [])) or USUAL_KEY
            grow_tree(path, tree_height(pages, key))
        lengthen(path, pages)
