"""A bundle: what was recorded of some servers over a span, in one file that opens anywhere.

A ZIP archive: ``manifest.json``, ``statements.parquet``, and of each server by its number its series as Parquet (with the
fingerprint of a statement in place of this store's id), its settings, schema, plans, changes and gaps as JSON. Without
accounts, addresses and secrets.
"""

from __future__ import annotations

import io
import json
import struct
import uuid
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, cast

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import delete, select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.capture.registration import cluster_named
from hardy_gauge.errors import InvalidInput
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import BUNDLE, CaptureState, Change, Gap, Plan, Segment, Server, Snapshot, Statement

FORMAT = "hardy-gauge bundle"
VERSION = 1
# what the archive's reader and JSON raise on bytes that are not theirs
DAMAGED = (
    zipfile.BadZipFile, zlib.error, struct.error, KeyError, NotImplementedError, RuntimeError, EOFError, OSError, ValueError,
)  # fmt: skip
MOST_BYTES = 4 * 2**30
STATEMENTS = {"fingerprint": pl.String, "text": pl.String, "kind": pl.String, "first_seen_us": pl.Int64}


class BadBundle(InvalidInput):
    """A file that is no bundle, or a damaged one."""

    title = "The file cannot be opened"

    def __init__(self, detail: str, field: str = "file") -> None:
        super().__init__(detail, field)


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Described(Part):
    name: str = Field(min_length=1, max_length=80)
    cluster: str = Field(min_length=1, max_length=80)
    role: str
    engine: str
    engine_version: str
    abilities: list[str]
    labels: list[str]
    host: dict[str, Any]


class Manifest(Part):
    format: Literal["hardy-gauge bundle"]
    version: Literal[1]
    id: str = Field(pattern=r"^[0-9a-f]{32}$")
    made_us: int
    since_us: int
    until_us: int
    note: str = ""
    servers: list[Described] = Field(max_length=1000)


@dataclass(frozen=True)
class Opened:
    """Names of the servers as they are in the store now; ``new`` is false when the bundle was there already."""

    id: str
    servers: list[str]
    new: bool


def write(store: Store, server_ids: Sequence[int], since_us: int, until_us: int, now_us: int, note: str = "") -> bytes:
    """The bundle of what was recorded of the servers in ``[since, until)``."""
    buffer = io.BytesIO()
    with store.read() as session, zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as archive:
        query = (
            select(Server).where(Server.id.in_(server_ids)).options(joinedload(Server.cluster)).order_by(Server.name)
        )
        servers = list(session.scalars(query))
        texts = {row.id: row for row in session.scalars(select(Statement))}
        used: set[int] = set()
        for number, server in enumerate(servers):
            used |= _write_server(session, archive, number, server, since_us, until_us, texts)
        rows = [{c: getattr(texts[i], c) for c in STATEMENTS} for i in sorted(used) if i in texts]
        archive.writestr("statements.parquet", segments.encode(pl.DataFrame(rows, schema=STATEMENTS)))
        manifest = Manifest(
            format="hardy-gauge bundle", version=1, id=uuid.uuid4().hex, made_us=now_us, since_us=since_us,
            until_us=until_us, note=note,
            servers=[
                Described(
                    name=s.name, cluster=s.cluster.name, role=s.role, engine=s.engine, labels=s.labels,
                    engine_version=s.engine_version, abilities=s.abilities, host=s.host,
                )
                for s in servers
            ],
        )  # fmt: skip
        archive.writestr("manifest.json", manifest.model_dump_json(indent=1))
    return buffer.getvalue()


def _write_server(
    session: Session, archive: zipfile.ZipFile, number: int, server: Server, since: int, until: int,
    texts: dict[int, Statement],
) -> set[int]:  # fmt: skip
    """Returns the statements that its series name."""
    used: set[int] = set()
    names = pl.DataFrame(
        {"statement": list(texts), "fingerprint": [s.fingerprint for s in texts.values()]},
        schema={"statement": pl.Int32, "fingerprint": pl.String},
    )
    for kind in segments.KINDS:
        frame = segments.read(session, [server.id], kind, since, until)
        if frame.is_empty():
            continue
        frame = frame.drop("server_id")
        if "statement" in frame.columns:
            used |= set(frame["statement"].unique().to_list())
            frame = frame.with_columns(pl.col("statement").cast(pl.Int32)).join(names, on="statement", how="left")
            frame = frame.drop("statement")
        archive.writestr(f"{number}/{kind}.parquet", segments.encode(frame))
    for row in session.scalars(select(Snapshot).where(Snapshot.server_id == server.id)):
        archive.writestr(f"{number}/{row.kind}.json", json.dumps({"taken_us": row.taken_us, "body": row.body}))
    plans = session.scalars(select(Plan).where(Plan.server_id == server.id, Plan.statement_id.in_(used)))
    lists: dict[str, list[dict[str, Any]]] = {
        "plans": [
            {
                "fingerprint": texts[p.statement_id].fingerprint,
                "plan_key": p.plan_key,
                "taken_us": p.taken_us,
                "body": p.body,
            }
            for p in plans
        ],
        "changes": [
            {"at_us": c.at_us, "kind": c.kind, "title": c.title, "object": c.object}
            for c in session.scalars(
                select(Change).where(Change.server_id == server.id, Change.at_us.between(since, until))
            )
        ],
        "gaps": [
            {"kind": g.kind, "from_us": g.from_us, "to_us": g.to_us or until, "reason": g.reason}
            for g in session.scalars(select(Gap).where(Gap.server_id == server.id, Gap.from_us < until))
            if (g.to_us or until) > since
        ],
    }
    for name, rows in lists.items():
        archive.writestr(f"{number}/{name}.json", json.dumps(rows))
    return used


class Reader:
    """An opened archive; every part is checked before it is used."""

    def __init__(self, content: bytes) -> None:
        try:
            self.archive = zipfile.ZipFile(io.BytesIO(content))
            size = sum(item.file_size for item in self.archive.infolist())
            self.manifest = Manifest.model_validate_json(self.archive.read("manifest.json"))
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise BadBundle(f"the bundle's manifest is not as expected: {where}: {first['msg']}") from error
        except DAMAGED as error:
            raise BadBundle("the file is not a bundle: an archive with a manifest was expected") from error
        if size > MOST_BYTES:
            raise BadBundle(f"the bundle holds more than {MOST_BYTES:,} bytes")

    def frame(self, name: str) -> pl.DataFrame:
        """A Parquet part; empty when there is none."""
        if name not in self.archive.namelist():
            return pl.DataFrame()
        try:
            return pl.read_parquet(io.BytesIO(self.archive.read(name)))
        except Exception as error:
            raise BadBundle(f"{name} is damaged: {' '.join(str(error).split())[:200]}") from error

    def document(self, name: str) -> Any:
        """A JSON part; None when there is none."""
        if name not in self.archive.namelist():
            return None
        try:
            return json.loads(self.archive.read(name))
        except DAMAGED as error:
            raise BadBundle(f"{name} is damaged: {error}") from error


def open_in(store: Store, content: bytes) -> Opened:
    """Take a bundle's servers into a store, whole or not at all; one that is there already is left as it is.

    A name that is taken gets the first digits of the bundle's id.
    """
    reader = Reader(content)
    key = f"{BUNDLE}{reader.manifest.id}/"
    with store.write() as session:
        known = list(session.scalars(select(Server.name).where(Server.address.like(f"{key}%")).order_by(Server.name)))
        if known:
            return Opened(reader.manifest.id, known, False)
        try:
            ids = _statements(session, reader)
            names = [
                _open_server(session, reader, number, described, f"{key}{number}", ids)
                for number, described in enumerate(reader.manifest.servers)
            ]
        except (AttributeError, TypeError, pl.exceptions.PolarsError, *DAMAGED) as error:
            if isinstance(error, BadBundle):
                raise
            raise BadBundle(f"the bundle is not as expected: {' '.join(str(error).split())[:200]}") from error
    return Opened(reader.manifest.id, names, True)


def _statements(session: Session, reader: Reader) -> pl.DataFrame:
    """This store's ids by fingerprint."""
    found: dict[str, int] = {}
    for row in reader.frame("statements.parquet").select(*STATEMENTS).iter_rows(named=True):
        known = session.scalar(select(Statement).where(Statement.fingerprint == row["fingerprint"]))
        if known is None:
            known = Statement(**row)
            session.add(known)
            session.flush()
        found[row["fingerprint"]] = known.id
    return pl.DataFrame(
        {"fingerprint": list(found), "statement": list(found.values())},
        schema={"fingerprint": pl.String, "statement": pl.Int32},
    )


def _open_server(
    session: Session, reader: Reader, number: int, described: Described, address: str, ids: pl.DataFrame
) -> str:
    taken = session.scalar(select(Server.id).where(Server.name == described.name)) is not None
    name = f"{described.name}-{reader.manifest.id[:6]}" if taken else described.name
    server = Server(
        name=name, cluster_id=cluster_named(session, described.cluster).id, address=address,
        **described.model_dump(exclude={"name", "cluster"}),
    )  # fmt: skip
    server.capture = CaptureState(recorded_until_us=reader.manifest.until_us, seen_us=reader.manifest.until_us)
    session.add(server)
    session.flush()
    for kind in segments.KINDS:
        frame = reader.frame(f"{number}/{kind}.parquet")
        if frame.is_empty():
            continue
        if "fingerprint" in frame.columns:
            frame = frame.join(ids, on="fingerprint", how="left").drop("fingerprint")
            frame = frame.with_columns(pl.col("statement").fill_null(-1))
        frame = frame.with_columns(pl.col(segments.TIME[kind]).cast(pl.Int64))
        segments.append(session, server.id, kind, frame)
    for name_of in ("settings", "schema"):
        found = reader.document(f"{number}/{name_of}.json")
        if found is not None:
            row = Snapshot(server_id=server.id, kind=name_of, taken_us=int(found["taken_us"]), body=dict(found["body"]))
            session.add(row)
    by_print = dict(ids.iter_rows())
    for plan in reader.document(f"{number}/plans.json") or []:
        statement = by_print[plan.pop("fingerprint")]
        session.add(Plan(server_id=server.id, statement_id=statement, **plan))
    for change in reader.document(f"{number}/changes.json") or []:
        session.add(Change(server_id=server.id, **change))
    for gap in reader.document(f"{number}/gaps.json") or []:
        session.add(Gap(server_id=server.id, **gap))
    session.flush()
    return name


def remove(store: Store, bundle: str) -> int:
    """Take everything of a bundle out of a store again; returns how many servers that were."""
    with store.write() as session:
        rows = list(session.scalars(select(Server).where(Server.address.like(f"{BUNDLE}{bundle}/%"))))
        for server in rows:
            for table in (Segment, Snapshot, Plan, Change, Gap, CaptureState):
                column = cast(Any, table).server_id
                session.execute(delete(table).where(column == server.id))
            session.execute(delete(Server).where(Server.id == server.id))
    return len(rows)


def export(content: bytes, folder: Path, form: Literal["parquet", "csv"]) -> list[Path]:
    """Write every series of a bundle to a folder, one file a server and kind, with the statement's text beside its
    fingerprint. CSV after RFC 4180.
    """
    reader = Reader(content)
    folder.mkdir(parents=True, exist_ok=True)
    texts = reader.frame("statements.parquet").select("fingerprint", "text")
    written = []
    for number, described in enumerate(reader.manifest.servers):
        for kind in segments.KINDS:
            frame = reader.frame(f"{number}/{kind}.parquet")
            if frame.is_empty():
                continue
            if "fingerprint" in frame.columns:
                frame = frame.join(texts, on="fingerprint", how="left")
            safe = "".join(c if c.isalnum() or c in "-_." else "_" for c in described.name)
            path = folder / f"{safe}-{kind}.{form}"
            if form == "csv":
                frame.write_csv(path, line_terminator="\r\n")
            else:
                frame.write_parquet(path)
            written.append(path)
    return written


@dataclass(frozen=True)
class BundleOut:
    """A bundle that is open here, with the names of its servers; ``new`` when it was opened just now."""

    bundle: str
    servers: list[str]
    until_us: int
    new: bool


def opened_bundles(store: Store) -> list[BundleOut]:
    """By the names of their servers."""
    with store.read() as session:
        rows = session.execute(
            select(Server.address, Server.name, CaptureState.recorded_until_us)
            .join(CaptureState)
            .where(Server.address.like(f"{BUNDLE}%"))
            .order_by(Server.name)
        ).all()
    found: dict[str, BundleOut] = {}
    for address, name, until in rows:
        key = address.removeprefix(BUNDLE).partition("/")[0]
        found.setdefault(key, BundleOut(key, [], until, False)).servers.append(name)
    return list(found.values())
