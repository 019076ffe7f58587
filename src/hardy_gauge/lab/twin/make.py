"""Making a twin: an instance, the objects, their statistics, files of the right length."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import psycopg

from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.lab.instance import PREFIX, Instance, keep, unprivileged
from hardy_gauge.lab.objects import MAKER, create_database, create_extensions, create_objects, let_ask, write_settings
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.lab.twin.relation_files import SEGMENT_PAGES, grow_tree, lengthen, tree_height
from hardy_gauge.lab.twin.sizes import known_sizes
from hardy_gauge.lab.twin.statistics import StatisticsWriter, write_extended
from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.probes.sqlpack.postgresql.needed_space import PAGE_BYTES
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import FORMAT

DESCRIPTION = "twin.json"
DATABASE = "twin"
SIZES = "sizes.json"
MOST_FILES = 30_000
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
        create_database(instance, document, DATABASE, cautions)
        with instance.connect(DATABASE) as connection:
            connection.execute("SET client_min_messages = error")
            cautions += create_extensions(connection, document["extensions"])
            with instance.connect(DATABASE, MAKER) as maker:
                cautions += create_objects(maker, document["definitions"])
            write_settings(instance, connection, document["settings"], cautions)
            with connection.transaction():
                cautions += StatisticsWriter(connection).write(document["statistics"])
            cautions += write_extended(connection, document["extended"])
            _sizes(instance, connection, document["relations"])
            let_ask(connection)
            cursor = connection.execute(
                "SELECT format('%I.%I', n.nspname, c.relname), pg_relation_filepath(c.oid) FROM pg_class c "
                "JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'i', 'm')"
            )
            files = [{"name": name, "file": file} for name, file in cursor.fetchall()]
            connection.execute("CHECKPOINT")
    finally:
        instance.stop()
    return files


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
