"""A store as the version before wrote it: opened by this one it has all its rows, and the screens read them."""

from __future__ import annotations

from pathlib import Path

import polars as pl
from alembic import command
from sqlalchemy import create_engine, text

from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.evidence import writes_of
from hardy_gauge.queries.objects import objects_of
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.server_figures import figures_of
from hardy_gauge.queries.server_sheet import server_sheet
from hardy_gauge.queries.statement_sheet import statement_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.migrate import config
from hardy_gauge.store.models import Change, Snapshot
from tests.queries.builder import HOUR, NOW, Built

MINUTE_US = 60_000_000
BEFORE = "0011"
TABLES = ("server", "statement", "change", "snapshot", "segment")
SCHEMA = {
    "at_us": HOUR.since_us, "database": "library", "dialect": "postgres",
    "tables": [{
        "name": "loan", "rows": 100.0, "bytes": 8192, "inserts": 3.0, "updates": 0.0, "deletes": 0.0, "column_updates": {},
        "columns": [{"name": "id", "type": "int", "width_bytes": 4.0, "distinct": 100.0, "null_share": 0.0}],
        "indexes": [{"name": "loan_pk", "table": "loan", "columns": ["id"], "unique": True, "bytes": 8192, "lookups": 5.0, "predicate": None}],
    }],
}  # fmt: skip


def test_every_row_is_there_and_read(tmp_path: Path) -> None:
    path = tmp_path / "old.db"
    store = Store(path)
    built = Built(store)
    server = built.server("a")
    built.minutes(server, HOUR.since_us, NOW, 1.0)
    statement = built.statement("SELECT id FROM loan WHERE id = $1")
    built.calls(server, statement, HOUR.since_us, NOW, 5.0, 0.01)
    at = [HOUR.since_us + n * MINUTE_US for n in range(60)]
    written = {"at_us": at, "span_s": 60.0, "table": "loan", "inserts": 120.0, "updates": 0.0, "deletes": 0.0}
    built.rows(server, "table", pl.DataFrame(written).with_columns(pl.lit(None, pl.String).alias("column")))
    with store.write() as session:
        session.add(Snapshot(server_id=server, kind="schema", taken_us=NOW, body=SCHEMA))
        session.add(Change(server_id=server, at_us=at[5], kind="schema", title="index loan_due dropped"))
    store.close()
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        alembic = config()
        alembic.attributes["connection"] = connection
        command.downgrade(alembic, BEFORE)
        rows = {name: connection.execute(text(f"SELECT count(*) FROM {name}")).scalar_one() for name in TABLES}
        assert "who" not in {row[1] for row in connection.execute(text("PRAGMA table_info(change)"))}
    engine.dispose()

    opened = Built(Store(path))
    reader, window = opened.reader, Window(HOUR)
    with opened.store.read() as session:
        found = {name: session.execute(text(f"SELECT count(*) FROM {name}")).scalar_one() for name in TABLES}
    assert found == rows and all(found.values())
    owner = server_named(reader, "a")
    (table,) = objects_of(reader, owner, HOUR).tables
    assert (table.rows, table.heap_bytes, table.inserts_per_s, table.dead_rows) == (100.0, 8192, 2.0, None)
    assert table.indexes[0].valid and table.indexes[0].lookups_per_s is None
    assert writes_of(reader, owner, HOUR)["loan"].inserts_per_s == 2.0
    sheet = server_sheet(reader, window, "a")
    assert [change.title for change in sheet.changes] == ["index loan_due dropped"]
    detail = statement_sheet(reader, window, "fleet", "f-SELECT id FR")
    assert detail.row.spread_s is None and detail.row.calls > 0
    assert {one.name for one in figures_of(reader, owner, HOUR).figures} == {"time_s", "calls"}
