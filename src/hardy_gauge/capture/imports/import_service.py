"""Uploaded files: kept until it is clear how they are read, then imported, and undone."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from hardy_gauge.capture.imports import reading, sandboxed_reading
from hardy_gauge.capture.imports.columns import Layout, signature
from hardy_gauge.capture.imports.import_batch import of_otlp
from hardy_gauge.capture.imports.import_writer import ImportTally, delete_import, server_for, write_rows
from hardy_gauge.capture.imports.otlp import NO_DATABASE, Counted, OtlpContent
from hardy_gauge.capture.imports.rejected_rows import MOST_LISTED, ImportRefused, RejectedRows
from hardy_gauge.capture.imports.sandboxed_reading import Stopped
from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import, Plan, Preference, Statement, StoredWorkload

LAYOUTS = "import layouts"
MOST_LAYOUTS = 200
DAY_US = 86_400_000_000


def known_layouts(session: Session) -> dict[str, Layout]:
    row = session.get(Preference, LAYOUTS)
    return {} if row is None else {key: Layout.model_validate(value) for key, value in row.value.items()}


def remember(session: Session, headings: list[str], layout: Layout) -> None:
    """The next file with these headings is read like this one."""
    known = {k: v.model_dump() for k, v in known_layouts(session).items()}
    known.pop(signature(headings), None)
    kept = dict(list(known.items())[-MOST_LAYOUTS + 1 :])
    session.merge(Preference(name=LAYOUTS, value=kept | {signature(headings): layout.model_dump()}))


def hand_in(store: Store, name: str, path: Path, who: str, now_us: int) -> int:
    """Note a file that lies at ``path``; returns the number of its import, which is ``open`` until it is taken."""
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(2**22):
            digest.update(block)
    with store.write() as session:
        row = Import(created_us=now_us, who=who, name=name, kind="", content_key=digest.hexdigest())
        session.add(row)
        session.flush()
        return row.id


def run_import(
    store: Store,
    import_id: int,
    path: Path,
    wanted: reading.ImportRequest,
    now_us: int,
    stopped: Callable[[], bool] = lambda: False,
) -> None:
    """Read the file and store what is new of it, in one transaction. The import is ``done`` then, or ``failed`` with
    the reason, or ``stopped``; a file that was imported in the same way already is ``done`` with nothing.
    """
    rejected = RejectedRows()

    def said(words: str) -> None:
        if stopped():
            raise Stopped
        _note(store, import_id, state="running", detail=words)

    try:
        with store.read() as session:
            row = session.get_one(Import, import_id)
            name, before = row.name, _same(session, row, wanted)
        if before is not None:
            _note(store, import_id, state="done", detail=f"imported already as import {before}", kind=wanted.format)
            return
        said("reading the file")
        contents = sandboxed_reading.read(path, name, wanted, now_us, rejected, said, stopped)
        said("storing")
        with store.write() as session:
            row = session.get_one(Import, import_id)
            into = ImportTally()
            _write_all(session, row, contents, wanted, rejected, into, now_us)
            if stopped():
                raise Stopped
            _finish(row, wanted, rejected, into)
    except Stopped:
        _note(store, import_id, state="stopped", detail="stopped; nothing of it was stored")
    except ImportRefused as error:
        _note(store, import_id, state="failed", detail=str(error), kind=wanted.format)
    except Exception as error:
        _note(
            store,
            import_id,
            state="failed",
            detail=f"it could not be stored: {type(error).__name__}",
            kind=wanted.format,
        )
        raise


def _same(session: Session, row: Import, wanted: reading.ImportRequest) -> int | None:
    query = select(Import).where(Import.content_key == row.content_key, Import.state == "done", Import.accepted > 0)
    return next((one.id for one in session.scalars(query) if one.wanted == wanted.model_dump()), None)


def _note(store: Store, import_id: int, **values: Any) -> None:
    with store.write() as session:
        session.execute(update(Import).where(Import.id == import_id).values(**values))


def _write_all(
    session: Session, row: Import, contents: reading.Contents, wanted: reading.ImportRequest, rejected: RejectedRows, into: ImportTally, now_us: int,
) -> None:  # fmt: skip
    for name, batch in contents.batches.items():
        server = server_for(session, name, wanted.cluster, batch.engine or wanted.engine)
        write_rows(session, row.id, server, batch, rejected, into)
    if contents.workload:
        session.add(StoredWorkload(name=row.name, statements=contents.workload, import_id=row.id))
        into.accepted += len(contents.workload)
    if contents.plans:
        if not wanted.server:
            raise ImportRefused("the name of the server that the plans are of is needed", "server")
        server = server_for(session, wanted.server, wanted.cluster, wanted.engine)
        into.servers.append(server.name)
        for number, (text, plan) in enumerate(contents.plans, 1):
            statement = _statement(session, text, now_us)
            mine = (Plan.server_id == server.id, Plan.statement_id == statement, Plan.plan_key == plan.plan_id)
            if session.scalar(select(Plan.id).where(*mine)) is not None:
                rejected.add(number, "the plan is there already")
                continue
            session.add(
                Plan(server_id=server.id, statement_id=statement, plan_key=plan.plan_id, taken_us=now_us, body=plan_document(plan), import_id=row.id)
            )  # fmt: skip
            session.flush()
            into.accepted += 1


def _statement(session: Session, text: str, now_us: int) -> int:
    normal = normalise(text)
    found = session.scalar(select(Statement).where(Statement.fingerprint == normal.fingerprint))
    if found is None:
        found = Statement(fingerprint=normal.fingerprint, text=normal.text, kind=normal.kind, first_seen_us=now_us)
        session.add(found)
        session.flush()
    return found.id


def _finish(row: Import, wanted: reading.ImportRequest, rejected: RejectedRows, into: ImportTally) -> None:
    row.kind, row.wanted, row.state, row.detail = wanted.format, wanted.model_dump(), "done", ""
    row.servers = list(dict.fromkeys([*row.servers, *into.servers]))
    row.accepted += into.accepted
    row.rejected_count += rejected.count
    row.rejected = rejected.document()
    row.since_us = min((x for x in (row.since_us, into.since_us) if x is not None), default=None)
    row.until_us = max((x for x in (row.until_us, into.until_us) if x is not None), default=None)


def receive(store: Store, document: Any, who: str, now_us: int, counted: Counted) -> RejectedRows:
    """Store what one OTLP message holds, with all others of its sender and day as one import; returns what was rejected.
    ``counted`` remembers the last readings of what counts up from message to message.
    """
    rejected, content = RejectedRows(), OtlpContent(counted=counted)
    content.message(document, 1, rejected)
    rejected.forget(NO_DATABASE)  # every client sends them, so they are left without a word
    with store.write() as session:
        day = now_us // DAY_US * DAY_US
        query = select(Import).where(Import.kind == "otlp", Import.name == "received", Import.who == who)
        row = session.scalar(query.where(Import.created_us >= day, Import.state == "done"))
        if row is None:
            row = Import(created_us=now_us, who=who, name="received", kind="otlp", content_key="", state="done")
            row.accepted = row.rejected_count = 0
            row.servers, row.rejected = [], {}
            session.add(row)
            session.flush()
        into = ImportTally()
        for name, batch in of_otlp(content, "traced", rejected).items():
            server = server_for(session, name, "traced", batch.engine)
            write_rows(session, row.id, server, batch, rejected, into)
        before = dict(row.rejected)
        _finish(row, reading.ImportRequest(format="otlp"), rejected, into)
        row.rejected = _together(before, row.rejected)
    return rejected


def _together(before: dict[str, Any], now: dict[str, Any]) -> dict[str, Any]:
    reasons = Counter(before.get("reasons", {})) + Counter(now["reasons"])
    return {"reasons": dict(reasons.most_common()), "listed": [*before.get("listed", []), *now["listed"]][:MOST_LISTED]}


def undo(store: Store, import_id: int) -> None:
    """Take everything of an import out again, in one transaction; ImportRefused when there is nothing of it."""
    with store.write() as session:
        row = session.get(Import, import_id)
        if row is None or row.state != "done":
            raise ImportRefused("only an import that is done can be undone", "id")
        delete_import(session, row)


def interrupted(store: Store, folder: Path) -> None:
    """When the application starts: files that were handed in and imports that ran are gone; nothing of them is stored."""
    with store.write() as session:
        for row in session.scalars(select(Import).where(Import.state.in_(("open", "running")))):
            row.detail = "the application was stopped; hand the file in again" if row.state == "running" else row.detail
            row.state = "interrupted" if row.state == "running" else "discarded"
    for path in folder.glob("*") if folder.is_dir() else ():
        path.unlink(missing_ok=True)
