"""A real SQLite file: its settings, schema, and plans, also with an index that does not exist."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

from hardy_gauge.core.plans.readers import sqlite as reader
from hardy_gauge.probes import protocol as p
from hardy_gauge.probes.plan_answer import answer
from hardy_gauge.probes.sqlite_settings import SETTINGS


class SqliteProbe:
    """Reads one file; it is opened read-only and never written."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def _open(self) -> sqlite3.Connection:
        if not self.path.exists():
            raise p.ProbeError(f"there is no file {self.path.name}")
        try:
            connection = sqlite3.connect(f"file:{self.path}?mode=ro", uri=True)
            connection.execute("SELECT count(*) FROM sqlite_schema")
        except sqlite3.DatabaseError as error:
            raise p.ProbeError(f"{self.path.name} is not a SQLite file: {error}") from error
        return connection

    def identity(self) -> p.Identity:
        self._open().close()
        now = time.time_ns() // 1000
        return p.Identity(
            server=self.path.stem, cluster="files", role="single", engine="sqlite",
            engine_version=sqlite3.sqlite_version, started_at_us=now, clock_us=now,
            abilities=["settings", "schema", "explain"],
        )  # fmt: skip

    def host(self) -> p.Host:
        return p.Host()

    def counters(self) -> p.Counters:
        raise p.Unsupported("a file does not count what is done with it")

    def statements(self) -> p.StatementCounters:
        raise p.Unsupported("a file does not count statements")

    def sessions(self) -> p.Sessions:
        raise p.Unsupported("a file knows no sessions")

    def executions(self, since_us: int, threshold_s: float, literals: bool = False) -> p.Executions:
        raise p.Unsupported("a file keeps no executions")

    def messages(self, since_us: int) -> p.LogMessages:
        raise p.Unsupported("a file has no log")

    def plan(self, plan_key: str) -> p.Explained:
        raise p.Unsupported("a file keeps no plans")

    def members(self) -> p.Members:
        raise p.Unsupported("a file has no members")

    def readiness(self) -> p.Readiness:
        missing = "a file is read when asked; the work on it is seen only by the programs that open it"
        return p.Readiness(
            at_us=time.time_ns() // 1000,
            reports=[
                p.Report(ability="schema", reported=True, what="tables, columns and indexes"),
                p.Report(ability="settings", reported=True, what="settings of the file"),
                p.Report(ability="explain", reported=True, what="plans, also with indexes that do not exist"),
                p.Report(ability="counters", reported=False, what="work and waits", why=missing),
            ],
        )

    def end_session(self, session: int, user: str) -> bool:
        raise p.Unsupported("a file knows no sessions")

    def close(self) -> None:
        return

    def settings(self) -> p.Settings:
        connection = self._open()
        rows = []
        for name, setting in SETTINGS.items():
            (value,) = connection.execute(f"PRAGMA {name}").fetchone() or (0,)
            if name == "synchronous":
                value = ["off", "normal", "full", "extra"][value]
            rows.append(setting.model_copy(update={"value": value}))
        connection.close()
        return p.Settings(at_us=time.time_ns() // 1000, settings=rows)

    def schema(self) -> p.Schema:
        connection = self._open()
        tables = []
        names = connection.execute("SELECT name FROM sqlite_schema WHERE type='table' AND name NOT LIKE 'sqlite_%'")
        for (name,) in names.fetchall():
            (rows,) = connection.execute(f'SELECT count(*) FROM "{name}"').fetchone()
            columns = []
            for _, column, kind, *_ in connection.execute(f'PRAGMA table_info("{name}")'):
                width, distinct = connection.execute(
                    f'SELECT coalesce(avg(length("{column}")), 0), count(DISTINCT "{column}") FROM "{name}"'
                ).fetchone()
                columns.append(p.Column(name=column, type=kind, width_bytes=max(width, 1), distinct=distinct))
            indexes = []
            for _, index, unique, *_ in connection.execute(f'PRAGMA index_list("{name}")').fetchall():
                over = [row[2] for row in connection.execute(f'PRAGMA index_info("{index}")') if row[2]]
                if over:
                    indexes.append(p.IndexFacts(name=index, table=name, columns=over, unique=bool(unique), bytes=0))
            size = int(rows * sum(c.width_bytes + 1 for c in columns))
            tables.append(p.Table(name=name, rows=rows, bytes=size, columns=columns, indexes=indexes))
        connection.close()
        return p.Schema(at_us=time.time_ns() // 1000, database=self.path.stem, dialect="sqlite", tables=tables)

    def objects(self) -> p.Objects:
        raise p.Unsupported("a file does not count the work on its tables")

    def explain(self, request: p.ExplainRequest) -> p.Explained:
        """The plan SQLite would use. What-if indexes are built in an empty copy that has the file's statistics."""
        source = self._open()
        target = _imagined(source) if request.add_indexes or request.drop_indexes else source
        try:
            for name in request.drop_indexes:
                target.execute(f'DROP INDEX "{name}"')
            for spec in request.add_indexes:
                columns = ", ".join(
                    f"`{c}`" for c in spec.columns
                )  # in double quotes an unknown name would be a string
                name = spec.name or f"{spec.table}_{'_'.join(spec.columns)}"
                target.execute(f'CREATE INDEX "{name}" ON "{spec.table}" ({columns})')
            rows = target.execute(f"EXPLAIN QUERY PLAN {request.text}", _blanks(request.text)).fetchall()
        except sqlite3.Error as error:
            raise p.Refused(str(error), "text" if not request.add_indexes else "add_indexes") from error
        finally:
            source.close()
        plan = reader.read([{"id": r[0], "parent": r[1], "detail": r[3]} for r in rows])
        return answer(plan)


def _imagined(source: sqlite3.Connection) -> sqlite3.Connection:
    copy = sqlite3.connect(":memory:")
    rows = source.execute(
        "SELECT name, sql FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY type = 'index'"
    ).fetchall()
    for name, sql in rows:
        if not name.startswith("sqlite_"):
            copy.execute(sql)
    copy.execute("ANALYZE")
    if any(name == "sqlite_stat1" for name, _ in rows):
        for row in source.execute("SELECT tbl, idx, stat FROM sqlite_stat1"):
            copy.execute("INSERT INTO sqlite_stat1 VALUES (?, ?, ?)", row)
        copy.execute("ANALYZE sqlite_schema")
    return copy


def _blanks(text: str) -> list[None]:
    return [None] * text.count("?")
