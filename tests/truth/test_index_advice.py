"""What advice says that an index weighs, against a real PostgreSQL: bytes when it is built, log for each entry."""

from __future__ import annotations

from collections.abc import Iterator

import psycopg
import pytest

from hardy_gauge.core.evidence.schema import ColumnFacts, TableFacts, Writes
from hardy_gauge.core.remedies.index import build
from tests.postgres import running_postgres

pytestmark = pytest.mark.postgres
ROWS = 100_000
COLUMNS = {
    "patron": ("int", 4.0, "(random() * 1e9)::int"), "due": ("date", 4.0, "date '2020-01-01' + (random() * 3000)::int"),
    "code": ("text", 33.0, "md5(random()::text)"), "at": ("timestamptz", 8.0, "now() + random() * interval '900 days'"),
}  # fmt: skip


@pytest.fixture(scope="module")
def owner() -> Iterator[psycopg.Connection]:
    """Without images of whole pages, which depend on when the last checkpoint was."""
    with running_postgres("-c full_page_writes=off -c autovacuum=off -c max_wal_size=4GB") as made:
        yield made


def log_of(owner: psycopg.Connection, command: str) -> float:
    """Bytes of log that a command writes."""
    (before,) = owner.execute("SELECT pg_current_wal_insert_lsn()").fetchone() or ("",)
    owner.execute(command)
    return float(
        (owner.execute("SELECT pg_wal_lsn_diff(pg_current_wal_insert_lsn(), %s)", [before]).fetchone() or (0,))[0]
    )


@pytest.mark.parametrize("columns", [["patron"], ["patron", "due"], ["code"], ["code", "patron"], ["at"]])
def test_what_an_index_weighs(owner: psycopg.Connection, columns: list[str]) -> None:
    facts = {name: ColumnFacts(name, width, 1000.0) for name, (_, width, _) in COLUMNS.items()}
    advice = build(TableFacts("loan", ROWS, 0, facts, [], Writes(1.0, 0.0, 0.0, {})), columns)
    owner.execute("DROP TABLE IF EXISTS loan")
    owner.execute(
        f"CREATE TABLE loan (id serial, {', '.join(f'{name} {kind}' for name, (kind, _, _) in COLUMNS.items())})"
    )
    fill = f"INSERT INTO loan ({', '.join(COLUMNS)}) SELECT {', '.join(made for _, _, made in COLUMNS.values())} FROM generate_series(1, {ROWS})"
    bare = log_of(owner, fill)
    owner.execute("TRUNCATE loan")
    owner.execute(advice.script)
    each = (log_of(owner, fill) - bare) / ROWS
    owner.execute(f"REINDEX INDEX {advice.name}")
    (size,) = owner.execute("SELECT pg_relation_size(%s)", [advice.name]).fetchone() or (0,)
    assert advice.bytes == pytest.approx(size, rel=0.1)
    assert advice.log_bytes_each == pytest.approx(each, rel=0.2)
