"""A PostgreSQL that a test starts for itself and removes again."""

from __future__ import annotations

import shutil
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import psutil
import psycopg

from tests.conftest import free_port


@contextmanager
def running_postgres(options: str = "", port: int | None = None) -> Iterator[psycopg.Connection]:
    """An empty server on a socket of its own, with ``port`` also at that port of this machine; ``options`` go to its command
    line. It runs as user postgres.
    """
    binaries = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
    assert binaries, "PostgreSQL is needed; `make setup-test` installs it"
    folder = Path(tempfile.mkdtemp(prefix="hardy-gauge-pg-", dir="/tmp"))
    folder.chmod(0o777)
    data, listens = folder / "data", "127.0.0.1" if port else ""
    port = port or free_port()

    def as_postgres(*command: str) -> None:
        subprocess.run(
            ["runuser", "-u", "postgres", "--", *command], check=True, capture_output=True, cwd="/", timeout=100
        )

    as_postgres(str(binaries[-1] / "initdb"), "-D", str(data), "-A", "trust", "--no-sync")
    settings = f"-p {port} -k {folder} -c listen_addresses='{listens}' -c fsync=off {options}"
    control = str(binaries[-1] / "pg_ctl")
    as_postgres(control, "-D", str(data), "-w", "-l", str(folder / "log"), "-o", settings, "start")
    try:
        with psycopg.connect(host=str(folder), port=port, user="postgres", autocommit=True) as connection:
            yield connection
    finally:
        stop(int((data / "postmaster.pid").read_text().splitlines()[0]))
        shutil.rmtree(folder, ignore_errors=True)


def stop(postmaster: int) -> None:
    """At once, without waiting for anybody; killed if it does not go."""
    process = psutil.Process(postmaster)
    below = process.children(recursive=True)
    process.send_signal(signal.SIGQUIT)
    _, left = psutil.wait_procs([process, *below], timeout=20)
    for one in left:
        with suppress(psutil.NoSuchProcess):
            one.kill()


SECRET = "planted-Secret-77b1"
READY = (
    "-c shared_preload_libraries=pg_stat_statements -c track_io_timing=on -c logging_collector=on "
    "-c log_min_duration_statement=20ms -c cluster_name=reading-room"
)


@contextmanager
def watched_postgres(
    log: str = "csvlog", port: int | None = None, options: str = ""
) -> Iterator[tuple[psycopg.Connection, str]]:
    """A server as docs/postgresql.md sets one up, with a table of loans: a connection of its owner, and the address."""
    with running_postgres(f"{READY} -c log_destination={log} {options}", port) as owner:
        owner.execute("CREATE EXTENSION pg_stat_statements")
        owner.execute(f"CREATE ROLE gauge LOGIN PASSWORD '{SECRET}'")
        owner.execute("GRANT pg_monitor, pg_read_all_data TO gauge")
        reads = "pg_read_binary_file(text, bigint, bigint, boolean)"
        owner.execute(f"GRANT EXECUTE ON FUNCTION {reads} TO gauge")
        owner.execute("CREATE TABLE loan (id serial PRIMARY KEY, patron int, due date, note text)")
        owner.execute(
            "INSERT INTO loan (patron, due, note) SELECT i % 1000, date '2026-01-01' + i % 300, 'note ' || i "
            "FROM generate_series(1, 20000) i"
        )
        owner.execute("VACUUM ANALYZE loan")
        yield owner, f"postgresql:///postgres?host={owner.info.host}&port={owner.info.port}"
