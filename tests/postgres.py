"""A PostgreSQL that a test starts for itself and removes again."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg

from tests.conftest import free_port


@contextmanager
def running_postgres(options: str = "") -> Iterator[psycopg.Connection]:
    """An empty server on a socket of its own; ``options`` go to its command line. It runs as user postgres."""
    binaries = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
    assert binaries, "PostgreSQL is needed; `make setup-test` installs it"
    folder = Path(tempfile.mkdtemp(prefix="hardy-gauge-pg-", dir="/tmp"))
    folder.chmod(0o777)
    data, port = folder / "data", free_port()

    def as_postgres(*command: str) -> None:
        subprocess.run(["runuser", "-u", "postgres", "--", *command], check=True, capture_output=True, cwd="/")

    as_postgres(str(binaries[-1] / "initdb"), "-D", str(data), "-A", "trust", "--no-sync")
    settings = f"-p {port} -k {folder} -c listen_addresses='' -c fsync=off {options}"
    control = str(binaries[-1] / "pg_ctl")
    as_postgres(control, "-D", str(data), "-w", "-l", str(folder / "log"), "-o", settings, "start")
    try:
        with psycopg.connect(host=str(folder), port=port, user="postgres", autocommit=True) as connection:
            yield connection
    finally:
        as_postgres(control, "-D", str(data), "-m", "immediate", "stop")
        shutil.rmtree(folder, ignore_errors=True)
