"""A bundle: what was recorded of some servers over a span, in one file that opens anywhere.

A ZIP archive: ``manifest.json``, ``statements.parquet``, and of each server by its number its series as Parquet (with the
fingerprint of a statement in place of this store's id), its settings, schema, plans, changes and gaps as JSON. Without
accounts, addresses and secrets.
"""

from __future__ import annotations

import io
import json
import uuid
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal, cast

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import delete, select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.capture.bundle_parts import DAMAGED, BadBundle, BundleParts
from hardy_gauge.capture.registration import cluster_named
from hardy_gauge.core.figures.csv_cells import neutral
from hardy_gauge.store import segments
from hardy_gauge.store.blocks import encode
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import BUNDLE, CaptureState, Change, Gap, Plan, Segment, Server, Snapshot, Statement

FORMAT = "hardy-gauge bundle"
VERSION = 1
STATEMENTS = {"fingerprint": pl.String, "text": pl.String, "kind": pl.String, "first_seen_us": pl.Int64}


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


ServerName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/\x00-\x1f][^/\x00-\x1f]*$")]


class Described(Part):
    name: ServerName
    cluster: ServerName
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
        archive.writestr("statements.parquet", encode(pl.DataFrame(rows, schema=STATEMENTS)))
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
        archive.writestr(f"{number}/{kind}.parquet", encode(frame))
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


def _manifest(parts: BundleParts) -> Manifest:
    try:
        document = parts.document("manifest.json")
    except BadBundle as error:
        raise BadBundle("the file is not a bundle: an archive with a manifest was expected") from error
    if document is None:
        raise BadBundle("the file is not a bundle: an archive with a manifest was expected")
    return checked_manifest(document)


def checked_manifest(document: Any) -> Manifest:
    """A manifest from its decoded document; BadBundle names the first field that is wrong."""
    try:
        return Manifest.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadBundle(f"the bundle's manifest is not as expected: {where}: {first['msg']}") from error


def open_in(store: Store, path: Path) -> Opened:
    """Take the servers of a bundle's file into a store, whole or not at all; one that is there already is left as it is.

    A name that is taken gets the first digits of the bundle's id.
    """
    with BundleParts(path) as parts:
        manifest = _manifest(parts)
        key = f"{BUNDLE}{manifest.id}/"
        with store.read() as session:
            query = select(Server.name).where(Server.address.like(f"{key}%")).order_by(Server.name)
            known = list(session.scalars(query))
        if known:
            return Opened(manifest.id, known, False)
        try:
            texts = parts.frame("statements.parquet").select(*STATEMENTS)
            brought = [_brought(parts, number) for number in range(len(manifest.servers))]
            with store.write() as session:
                ids = _statements(session, texts)
            blocks = [_blocks(one, ids) for one in brought]
            with store.write() as session:
                names = [
                    _open_server(
                        session, manifest, number, f"{key}{number}", one, blocks[number], dict(ids.iter_rows())
                    )
                    for number, one in enumerate(brought)
                ]
        except (AttributeError, TypeError, pl.exceptions.PolarsError, *DAMAGED) as error:
            if isinstance(error, BadBundle):
                raise
            raise BadBundle(f"the bundle is not as expected: {' '.join(str(error).split())[:200]}") from error
    return Opened(manifest.id, names, True)


def _statements(session: Session, texts: pl.DataFrame) -> pl.DataFrame:
    """This store's ids by fingerprint."""
    found: dict[str, int] = {}
    for row in texts.iter_rows(named=True):
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


@dataclass(frozen=True)
class _Brought:
    """What a server brings, read and checked before anything is stored; plans with the fingerprint of each."""

    series: dict[segments.Kind, pl.DataFrame]
    snapshots: list[Snapshot]
    plans: list[tuple[str, Plan]]
    marks: list[Change | Gap]


def _brought(parts: BundleParts, number: int) -> _Brought:
    """Reading takes its time, so no transaction waits for it."""
    series = {kind: parts.frame(f"{number}/{kind}.parquet") for kind in segments.KINDS}
    snapshots = [
        Snapshot(kind=kind, taken_us=int(found["taken_us"]), body=dict(found["body"]))
        for kind in ("settings", "schema", "planner")
        if (found := parts.document(f"{number}/{kind}.json")) is not None
    ]
    plans = [
        (str(plan["fingerprint"]), Plan(**{name: value for name, value in plan.items() if name != "fingerprint"}))
        for plan in parts.document(f"{number}/plans.json") or []
    ]
    marks: list[Change | Gap] = [Change(**one) for one in parts.document(f"{number}/changes.json") or []]
    marks += [Gap(**one) for one in parts.document(f"{number}/gaps.json") or []]
    return _Brought({kind: frame for kind, frame in series.items() if len(frame)}, snapshots, plans, marks)


def _blocks(found: _Brought, ids: pl.DataFrame) -> list[segments.Block]:
    """The series as they will lie in the store."""
    blocks = []
    for kind, frame in found.series.items():
        if "fingerprint" in frame.columns:
            frame = frame.join(ids, on="fingerprint", how="left").drop("fingerprint")
            frame = frame.with_columns(pl.col("statement").fill_null(-1))
        blocks.append(segments.block(kind, frame.with_columns(pl.col(segments.TIME[kind]).cast(pl.Int64))))
    return blocks


def _open_server(
    session: Session, manifest: Manifest, number: int, address: str, found: _Brought, blocks: Sequence[segments.Block],
    ids: dict[str, int],
) -> str:  # fmt: skip
    described = manifest.servers[number]
    taken = session.scalar(select(Server.id).where(Server.name == described.name)) is not None
    name = f"{described.name}-{manifest.id[:6]}" if taken else described.name
    server = Server(
        name=name, cluster_id=cluster_named(session, described.cluster).id, address=address,
        **described.model_dump(exclude={"name", "cluster"}),
    )  # fmt: skip
    server.capture = CaptureState(recorded_until_us=manifest.until_us, seen_us=manifest.until_us)
    session.add(server)
    session.flush()
    for block in blocks:
        segments.append_block(session, server.id, block)
    for fingerprint, plan in found.plans:
        plan.statement_id = ids[fingerprint]
    for row in (*found.snapshots, *(plan for _, plan in found.plans), *found.marks):
        row.server_id = server.id
        session.add(row)
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


def export(path: Path, folder: Path, form: Literal["parquet", "csv"]) -> list[Path]:
    """Write every series of a bundle's file to a folder, one file a server and kind, with the statement's text beside its
    fingerprint. CSV after RFC 4180.
    """
    folder.mkdir(parents=True, exist_ok=True)
    written = []
    with BundleParts(path) as parts:
        manifest = _manifest(parts)
        texts = parts.frame("statements.parquet").select("fingerprint", "text")
        for number, described in enumerate(manifest.servers):
            for kind in segments.KINDS:
                frame = parts.frame(f"{number}/{kind}.parquet")
                if frame.is_empty():
                    continue
                if "fingerprint" in frame.columns:
                    frame = frame.join(texts, on="fingerprint", how="left")
                safe = "".join(c if c.isalnum() or c in "-_." else "_" for c in described.name)
                target = folder / f"{safe}-{kind}.{form}"
                if form == "csv":
                    neutral(frame).write_csv(target, line_terminator="\r\n")
                else:
                    frame.write_parquet(target)
                written.append(target)
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
