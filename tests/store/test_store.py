"""The store: migrations make the models' tables, writes are whole or not at all, segments keep their rows."""

from __future__ import annotations

from pathlib import Path

import polars as pl
import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from polars.testing import assert_frame_equal
from sqlalchemy import create_engine, func, inspect, select, text

from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.migrate import config
from hardy_gauge.store.models import Base, Cluster, Segment, StoredCaptureRule


def frame(start: int, rows: int, **more: object) -> pl.DataFrame:
    return pl.DataFrame({"at_us": [start + i * 1_000_000 for i in range(rows)], "calls": [1.0] * rows, **more})


def test_migrations_make_what_the_models_say(store: Store) -> None:
    with store.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_a_store_of_before_keeps_its_imports_rules_and_sign_ins(tmp_path: Path) -> None:
    """Columns and a table were renamed after revision 0003; what stood in them is still there."""
    path = tmp_path / "old.db"
    Store(path).close()
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        alembic = config()
        alembic.attributes["connection"] = connection
        command.downgrade(alembic, "0003")
        old = inspect(connection)
        assert "rule" in old.get_table_names() and "finding" not in old.get_table_names()
        columns = {column["name"] for column in old.get_columns("import")}
        assert {"taken", "left_count", "left"} <= columns
        connection.execute(text("INSERT INTO rule (name, position, document, changed_us) VALUES ('labs', 0, '{}', 7)"))
    engine.dispose()
    with Store(path).read() as session:
        assert session.scalar(select(StoredCaptureRule.name)) == "labs"


def test_a_failed_write_leaves_nothing(store: Store) -> None:
    with pytest.raises(RuntimeError), store.write() as session:
        session.add(Cluster(name="half"))
        session.flush()
        raise RuntimeError
    with store.read() as session:
        assert session.scalar(select(func.count()).select_from(Cluster)) == 0


def test_opening_again_keeps_everything(tmp_path: Path) -> None:
    first = Store(tmp_path / "a.db")
    with first.write() as session:
        session.add(Cluster(name="kept"))
    first.close()
    with Store(tmp_path / "a.db").read() as session:
        assert session.scalar(select(Cluster.name)) == "kept"


def test_segments_give_back_the_span_and_columns_asked_for(store: Store, server: int) -> None:
    with store.write() as session:
        segments.append(session, server, "metric", frame(0, 10, extra=["x"] * 10))
        segments.append(session, server, "metric", frame(10_000_000, 5))
        segments.append(session, server, "metric", frame(0, 0))
    with store.read() as session:
        found = segments.read(session, [server], "metric", 3_000_000, 12_000_000, ["extra"])
        assert found["at_us"].to_list() == [i * 1_000_000 for i in range(3, 12)]
        assert found["extra"].to_list() == ["x"] * 7 + [None] * 2
        assert segments.read(session, [server], "sample", 0, 10**9).is_empty()
        assert segments.bounds(session, [server], "metric") == (0, 14_000_001)


def test_compaction_keeps_every_row_in_fewer_segments(store: Store, server: int) -> None:
    with store.write() as session:
        for minute in range(180):
            segments.append(session, server, "metric", frame(minute * 60_000_000, 3))
    with store.read() as session:
        before = segments.read(session, [server], "metric", 0, 10**12)
    with store.write() as session:
        segments.compact(session, 2 * segments.HOUR_US + 130_000_000)
    with store.read() as session:
        hours = session.scalar(select(func.count()).select_from(Segment))
        assert hours == 2 + 60, "two hours that are over, and the minutes of the one that is not"
        assert_frame_equal(segments.read(session, [server], "metric", 0, 10**12), before)
    with store.write() as session:
        segments.compact(session, 2 * segments.DAY_US)
    with store.read() as session:
        assert session.scalar(select(func.count()).select_from(Segment)) == 1
        assert_frame_equal(segments.read(session, [server], "metric", 0, 10**12), before)


def test_retention_drops_only_what_is_old(store: Store, server: int) -> None:
    with store.write() as session:
        segments.append(session, server, "sample", frame(0, 3))
        segments.append(session, server, "sample", frame(segments.DAY_US, 3))
        assert segments.drop_before(session, "sample", segments.HOUR_US) == 1
    with store.read() as session:
        assert len(segments.read(session, [server], "sample", 0, 10**15)) == 3
