"""A dump of a database put into a PostgreSQL that is made for a trial: as SQL, or in the custom format of the engine's own dump program.

What is in it is run by a role that may do nothing beyond its database, and no program of this machine is started by what it says: an archive
is turned into SQL first, and commands of a terminal are none of SQL.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import psycopg

from hardy_gauge.lab.instance import Instance
from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.design import BadTrial

FIELD = "target.postgresql.dump"
ARCHIVE = b"PGDMP"
COPY = re.compile(r"COPY .+ FROM stdin;\n?", re.IGNORECASE)
END = "\\.\n"
# roles of the server that it came from are not here, and what a terminal is told is not for the server
LEFT_OUT = re.compile(
    r"(ALTER .+ OWNER TO .+;|GRANT .+;|REVOKE .+;|ALTER DEFAULT PRIVILEGES .+;|COMMENT ON EXTENSION .+;|\\(un)?restrict .*)\n?"
)
AT_ONCE = 2**20
LEFT_OUT_WORDS = "owners and rights of the dump are left out"


def restore(base: Instance, maker: psycopg.Connection[Any], path: Path) -> list[str]:
    """Run it; returns what is to be known of it. BadTrial where it is no dump, or the server refuses a part of it."""
    try:
        with path.open("rb") as file:
            begin = file.read(len(ARCHIVE))
    except OSError as error:
        raise BadTrial(f"{FIELD}: {error.strerror or error}: {path}", FIELD) from error
    lines = _of_archive(base, path) if begin == ARCHIVE else _of_text(path)
    try:
        return _run(maker, lines)
    except psycopg.Error as error:
        raise BadTrial(f"{FIELD}: {path.name}: {said(error)}", FIELD) from error
    except UnicodeDecodeError as error:
        raise BadTrial(
            f"{FIELD}: {path.name} is neither SQL in UTF-8 nor a dump in custom format (a folder or a tar is not read)",
            FIELD,
        ) from error


def _of_text(path: Path) -> Iterator[str]:
    with path.open(encoding="utf-8", newline="\n") as file:
        yield from file


def _of_archive(base: Instance, path: Path) -> Iterator[str]:
    """The SQL of an archive, by the engine's own program, which only reads it."""
    with path.open("rb") as file:
        program = [base.programs.path("pg_restore"), "--no-owner", "--no-privileges", "--file=-"]
        try:
            work = subprocess.Popen(
                program,
                stdin=file,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                text=True,
                encoding="utf-8",
                cwd="/",
                **base.run_as(),
            )
        except OSError as error:
            raise BadTrial(
                f"{FIELD}: pg_restore, which reads such a dump, cannot be started: {error.strerror}", FIELD
            ) from error
    with work:
        assert work.stdout is not None and work.stderr is not None
        yield from work.stdout
        problem = work.stderr.read().strip()
    if work.returncode:
        raise BadTrial(f"{FIELD}: {path.name}: {problem[-300:]}", FIELD)


def _run(maker: psycopg.Connection[Any], lines: Iterable[str]) -> list[str]:
    """Commands between the rows of tables, and the rows as they are copied."""
    commands, left_out, rest = list[str](), False, iter(lines)
    for line in rest:
        if LEFT_OUT.fullmatch(line):
            left_out = True
        elif COPY.fullmatch(line):
            _execute(maker, commands)
            commands = []
            with maker.cursor() as cursor, cursor.copy(line.encode()) as into:
                for part in _rows(rest):
                    into.write(part)
        else:
            commands.append(line)
    _execute(maker, commands)
    return [LEFT_OUT_WORDS] if left_out else []


def _rows(lines: Iterator[str]) -> Iterator[bytes]:
    """Until the mark that ends them, some at a time."""
    part, size = list[str](), 0
    for line in lines:
        if line in (END, END.rstrip()):
            break
        part.append(line)
        size += len(line)
        if size > AT_ONCE:
            yield "".join(part).encode()
            part, size = [], 0
    yield "".join(part).encode()


def _execute(maker: psycopg.Connection[Any], commands: list[str]) -> None:
    text = "".join(commands)
    if text.strip():
        maker.execute(text.encode())
