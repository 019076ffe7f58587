"""From protocol figures to the rows that are stored: statements known by identity, wait families added."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.probes.protocol import ExecutionRecord, Holder, StatementCounter
from hardy_gauge.probes.protocol import Session as SeenSession
from hardy_gauge.probes.wait_map import wait_map
from hardy_gauge.store.models import Statement

UNKNOWN = -1


@dataclass(frozen=True)
class Known:
    """What an engine's statement key stands for."""

    statement_id: int
    user: str
    service: str
    database: str


@dataclass(frozen=True)
class Seen:
    """A statement met in a session or an execution before the counters reported it."""

    key: str
    text: str
    user: str
    service: str
    database: str

    @classmethod
    def of(cls, row: SeenSession | Holder | ExecutionRecord) -> Seen | None:
        """None where the row has no text. Without a key of the engine's the text's fingerprint is the key."""
        if not row.text:
            return None
        return cls(key_of(row) or "", row.text, row.user, row.service, row.database)


def key_of(row: SeenSession | Holder | ExecutionRecord) -> str | None:
    """The engine's key of a statement, or one made from its text."""
    if row.statement_key or not row.text:
        return row.statement_key
    return f"text:{normalise(row.text).fingerprint}"


@dataclass
class StatementRegistry:
    """Statement keys of one server, and its engine's wait map."""

    engine: str
    known: dict[str, Known] = field(default_factory=dict)
    texts: dict[str, str] = field(default_factory=dict)

    def copy(self) -> StatementRegistry:
        """To learn in while it is not sure that what is learnt will be stored."""
        return StatementRegistry(self.engine, dict(self.known), dict(self.texts))

    def learn(self, session: Session, rows: Iterable[StatementCounter | Seen], now_us: int) -> None:
        """Store statements not seen before and remember what their keys stand for."""
        for row in rows:
            if row.key in self.known or not row.text:
                continue
            normal = normalise(row.text)
            found = session.scalar(select(Statement).where(Statement.fingerprint == normal.fingerprint))
            if found is None:
                found = Statement(
                    fingerprint=normal.fingerprint, text=normal.text, kind=normal.kind, first_seen_us=now_us
                )
                session.add(found)
                session.flush()
            self.texts[row.key] = normal.text
            self.known[row.key] = Known(found.id, row.user, row.service, row.database)

    def with_statements(self, frame: pl.DataFrame, named: bool = True) -> pl.DataFrame:
        """Replace ``statement_key`` by ``statement`` (id); add user, service, database when ``named``."""
        table = pl.DataFrame(
            {
                "statement_key": list(self.known),
                "statement": [k.statement_id for k in self.known.values()],
                "user": [k.user for k in self.known.values()],
                "service": [k.service for k in self.known.values()],
                "database": [k.database for k in self.known.values()],
            },
            schema={
                "statement_key": pl.String, "statement": pl.Int32, "user": pl.String, "service": pl.String,
                "database": pl.String,
            },
        )  # fmt: skip
        if not named:
            table = table.select("statement_key", "statement")
        return (
            frame.join(table, on="statement_key", how="left")
            .with_columns(pl.col("statement").fill_null(UNKNOWN))
            .drop("statement_key")
        )

    def with_families(self, frame: pl.DataFrame) -> pl.DataFrame:
        """Add ``wait_family`` beside ``wait_event``."""
        families = wait_map(self.engine)
        events = frame["wait_event"].unique().to_list()
        table = pl.DataFrame(
            {"wait_event": events, "wait_family": [families.family(e) for e in events]},
            schema={"wait_event": pl.String, "wait_family": pl.String},
        )
        return frame.join(table, on="wait_event", how="left")
