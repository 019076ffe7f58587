"""Parcels into the store: each row once, marked with its import, whole or not at all; and out again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import polars as pl
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.imports.import_batch import ImportBatch, load_of, summed
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.capture.registration import cluster_named
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.store import segment_rows, segments
from hardy_gauge.store.models import (
    IMPORT,
    CaptureState,
    Change,
    Gap,
    Import,
    ImportSegment,
    Plan,
    Segment,
    Server,
    Snapshot,
    Statement,
    StoredWorkload,
)  # fmt: skip

DAY_US = segments.DAY_US
INTERVAL = ["at_us", "statement", "user", "service", "database", "plan_key"]


@dataclass
class ImportTally:
    """What came into the store: rows, and the span that they cover."""

    accepted: int = 0
    servers: list[str] = field(default_factory=list)
    since_us: int | None = None
    until_us: int | None = None

    def covers(self, frame: pl.DataFrame, time: str) -> None:
        if len(frame):
            first, last = int(frame[time].min()), int(frame[time].max()) + 1  # type: ignore[arg-type]
            self.since_us = first if self.since_us is None else min(self.since_us, first)
            self.until_us = last if self.until_us is None else max(self.until_us, last)


def server_for(session: Session, name: str, cluster: str, engine: str) -> Server:
    """The server of this name, or a new one to hold what is imported."""
    found = session.scalar(select(Server).where(Server.name == name))
    if found is None:
        found = Server(
            name=name, cluster_id=cluster_named(session, cluster).id, role="single", engine=engine or "other",
            engine_version="", address=f"{IMPORT}{name}",
        )  # fmt: skip
        found.capture = CaptureState()
        session.add(found)
        session.flush()
    return found


def write_rows(
    session: Session, import_id: int, server: Server, batch: ImportBatch, rejected: RejectedRows, into: ImportTally
) -> None:
    """Store one server's rows that are not there yet. Where the server is recorded itself, that recording stands."""
    since, until = _recorded_itself(session, server)
    executions, statements, figures = batch.executions, batch.statements, batch.figures
    if len(executions):
        executions = _known_texts(session, _outside(executions, "ended_at_us", since, until, rejected), "ended_at_us")
        executions = _new(
            session, server, "execution", executions, [c for c in executions.columns if c != "line"], rejected
        )
        _append(session, server, "execution", executions, import_id, into)
    if len(statements):
        statements = _known_texts(session, _outside(statements, "at_us", since, until, rejected), "at_us")
        keys = [c for c in INTERVAL if c in statements.columns]
        statements = _new(session, server, "statement", statements, keys, rejected)
        _append(session, server, "statement", statements, import_id, into)
    sums = statements
    if batch.whole and len(executions):
        sums = summed(executions)
        _append(session, server, "statement", sums, import_id, None)
    if len(sums):
        _append(session, server, "metric", load_of(sums), import_id, None)
    if len(figures):
        _figures(session, server, figures, import_id, rejected, into)
    if server.name not in into.servers:
        into.servers.append(server.name)
    if server.address.startswith(IMPORT):
        _reaches(session, server)


def _recorded_itself(session: Session, server: Server) -> tuple[int, int]:
    """First and last moment of the server's own statement figures; an empty span when there are none."""
    came = select(ImportSegment.segment_id)
    row = session.execute(
        select(func.min(Segment.start_us), func.max(Segment.end_us)).where(
            Segment.server_id == server.id, Segment.kind.in_(("statement", "execution")), Segment.id.not_in(came)
        )
    ).one()
    return (0, 0) if row[0] is None else (row[0], row[1])


def _outside(frame: pl.DataFrame, time: str, since: int, until: int, rejected: RejectedRows) -> pl.DataFrame:
    own = pl.lit("the server was recorded itself at that time")
    return rejected.split(frame.with_columns(pl.when(pl.col(time).is_between(since, until - 1)).then(own).alias("why")))


def _known_texts(session: Session, frame: pl.DataFrame, time: str) -> pl.DataFrame:
    """``statement`` (id) in place of ``text``; statements not met before are stored."""
    firsts = frame.group_by("text").agg(pl.col(time).min().alias("first"))
    normal = [normalise(text) for text in firsts["text"]]
    prints = firsts.with_columns(pl.Series("fingerprint", [n.fingerprint for n in normal], dtype=pl.String))
    ids: dict[str, int] = {}
    wanted = list(dict.fromkeys(n.fingerprint for n in normal))
    for at in range(0, len(wanted), 500):
        rows = session.execute(
            select(Statement.fingerprint, Statement.id).where(Statement.fingerprint.in_(wanted[at : at + 500]))
        )
        ids |= {fingerprint: number for fingerprint, number in rows}
    first = dict(prints.group_by("fingerprint").agg(pl.col("first").min()).iter_rows())
    new = {n.fingerprint: n for n in normal if n.fingerprint not in ids}
    made = [Statement(fingerprint=f, text=n.text, kind=n.kind, first_seen_us=first[f]) for f, n in new.items()]
    session.add_all(made)
    session.flush()
    ids.update((row.fingerprint, row.id) for row in made)
    table = prints.select("text", pl.col("fingerprint").replace_strict(ids, return_dtype=pl.Int32).alias("statement"))
    return frame.join(table, on="text", how="left").drop("text")


def _new(
    session: Session,
    server: Server,
    kind: segments.Kind,
    frame: pl.DataFrame,
    keys: Sequence[str],
    rejected: RejectedRows,
) -> pl.DataFrame:
    """The rows that are not stored yet. Equal rows are counted: as many are new as there are more of them than stored."""
    time = segments.TIME[kind]
    if frame.is_empty():
        return frame
    since, until = int(frame[time].min()), int(frame[time].max()) + 1  # type: ignore[arg-type]
    stored = segments.read(session, [server.id], kind, since, until)
    if stored.is_empty():
        return frame
    frame = _spelt_out(frame)
    lacking = [pl.lit(None, dtype=frame.schema[c]).alias(c) for c in keys if c not in stored.columns]
    stored = stored.with_columns(*lacking).select(pl.col(c).cast(frame.schema[c]) for c in keys)
    if kind == "execution":
        nth = pl.int_range(pl.len()).over(keys).alias("nth")
        frame, stored, keys = frame.with_columns(nth), stored.with_columns(nth), [*keys, "nth"]
    known = frame.join(
        stored.unique().with_columns(pl.lit("it is there already").alias("why")), on=keys, how="left", nulls_equal=True
    )
    return rejected.split(known).drop("nth", strict=False)


def _append(
    session: Session, server: Server, kind: segments.Kind, frame: pl.DataFrame, import_id: int, into: ImportTally | None
) -> None:
    """In segments of at most a day and two million rows; ``into`` counts them."""
    if frame.is_empty():
        return
    time = segments.TIME[kind]
    frame = frame.select(c for c in frame.columns if c != "line" and frame[c].null_count() < len(frame)).sort(time)
    if into is not None:
        into.accepted += len(frame)
        into.covers(frame, time)
    at = 0
    for rows in (frame[time] // DAY_US).rle().struct.field("len"):
        for part in frame.slice(at, rows).iter_slices(segments.MOST_ROWS):
            segments.append(session, server.id, kind, _spelt_out(part), import_id)
        at += rows


def _spelt_out(frame: pl.DataFrame) -> pl.DataFrame:
    """Texts as texts, where they came as numbers of a list."""
    return frame.with_columns(pl.col(pl.Enum).cast(pl.String))


def _figures(
    session: Session, server: Server, figures: pl.DataFrame, import_id: int, rejected: RejectedRows, into: ImportTally
) -> None:
    since, until = int(figures["at_us"].min()), int(figures["at_us"].max()) + 1  # type: ignore[arg-type]
    stored = segments.read(session, [server.id], "metric", since, until)
    names = [n for n in figures["name"].unique().to_list() if n in stored.columns]
    if names:
        there = (
            stored.select("at_us", *names)
            .unpivot(index="at_us", variable_name="name", value_name="stored")
            .drop_nulls()
        )
        there = there.select("at_us", "name", pl.lit("it is there already").alias("why")).unique()
        figures = rejected.split(figures.join(there, on=["at_us", "name"], how="left"))
    if len(figures):
        wide = figures.pivot(on="name", index="at_us", values="value", aggregate_function="mean")
        _append(session, server, "metric", wide, import_id, None)
        into.accepted += len(figures)
        into.covers(figures, "at_us")


def _reaches(session: Session, server: Server) -> None:
    session.flush()
    ends = select(func.max(Segment.end_us)).where(Segment.server_id == server.id)
    server.capture.recorded_until_us = server.capture.seen_us = session.scalar(ends) or 0


def delete_import(session: Session, row: Import) -> None:
    """Everything that came with an import goes again, and servers that held nothing else."""
    mine = select(ImportSegment.segment_id).where(ImportSegment.import_id == row.id)
    session.execute(delete(Segment).where(Segment.id.in_(mine)))
    session.execute(delete(Plan).where(Plan.import_id == row.id))
    session.execute(delete(StoredWorkload).where(StoredWorkload.import_id == row.id))
    for server in session.scalars(
        select(Server).where(Server.name.in_(row.servers), Server.address.like(f"{IMPORT}%"))
    ):
        held = [select(t.server_id).where(t.server_id == server.id).limit(1) for t in (Segment, Plan)]
        if any(session.scalar(query) is not None for query in held):
            _reaches(session, server)
            continue
        for table in (Snapshot, Change, Gap, CaptureState):
            session.execute(delete(table).where(table.server_id == server.id))
        session.delete(server)
    row.state = "undone"
    segment_rows.forget()
