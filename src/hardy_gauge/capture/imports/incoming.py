"""Files handed in to be imported: how they would be read, started, stopped, undone, and what came of each."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import undefer

from hardy_gauge.capture.imports import import_service, reading, sandboxed_reading
from hardy_gauge.capture.imports.columns import TARGETS, UNITS, Kind, Layout
from hardy_gauge.capture.imports.import_queue import ImportQueue
from hardy_gauge.capture.imports.rejected_rows import RejectedRow, of_document
from hardy_gauge.errors import Conflict, NotFound
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import

SHOWN_REJECTED = 200
MOST_LISTED = 200


@dataclass(frozen=True)
class ImportOut:
    """An import. ``rejected`` are the first lines that were refused, ``reasons`` how many of each reason."""

    id: int
    name: str
    who: str
    created_us: int
    format: str
    state: str
    detail: str
    servers: list[str]
    accepted: int
    rejected_count: int
    since_us: int | None
    until_us: int | None
    reasons: dict[str, int]
    rejected: list[RejectedRow]


@dataclass(frozen=True)
class TargetOut:
    name: str
    words: str
    needed: bool
    units: list[str]


@dataclass(frozen=True)
class LookOut:
    """What a file seems to hold; ``fault`` names the first field of the layout that does not fit it."""

    id: int
    name: str
    format: str
    remembered: bool
    layout: Layout | None
    targets: dict[str, list[TargetOut]]
    headings: list[str]
    sample: list[dict[str, str]]
    rows_looked_at: int
    rows_accepted: int
    rejected: list[RejectedRow]
    fault_field: str
    fault: str


class IncomingFiles:
    """The imports of one store; files lie in ``folder`` by their number until they are imported or discarded."""

    def __init__(self, store: Store, folder: Path, queue: ImportQueue) -> None:
        self.store, self.folder, self.queue = store, folder, queue

    def listed(self) -> list[ImportOut]:
        """The latest first, without those that were only handed in."""
        with self.store.read() as session:
            query = select(Import).where(Import.state.not_in(("open", "discarded")))
            rows = session.scalars(query.order_by(Import.id.desc()).limit(MOST_LISTED))
            return [_out(row) for row in rows]

    def one(self, import_id: int) -> ImportOut:
        """With the first rejected lines."""
        return _whole(self._row(import_id))

    def rejected_rows(self, import_id: int) -> list[tuple[int, str]]:
        """Every line that was refused, and why."""
        return list(of_document(self._row(import_id).rejected))

    def hand_in(self, name: str, path: Path, who: str, now_us: int) -> LookOut:
        """Keep a file and say how it would be read; ImportRefused, and nothing is kept, when it cannot be."""
        with self.store.read() as session:
            known = import_service.known_layouts(session)
        found = sandboxed_reading.look(path, name, known)
        import_id = import_service.hand_in(self.store, name, path, who, now_us)
        path.rename(self._path(import_id))
        return _look(import_id, name, found, found.layout is not None and found.layout in known.values())

    def look(self, import_id: int, layout: Layout | None, kind: Kind | None) -> LookOut:
        """How the first rows would be read with another layout; ``kind`` alone asks for a new guess."""
        row, path = self._open(import_id)
        found = sandboxed_reading.look(path, row.name, {}, layout, kind)
        return _look(import_id, row.name, found, False)

    def start(self, import_id: int, request: reading.ImportRequest) -> ImportOut:
        """Import the file in the background; its layout is remembered for files with the same headings."""
        row, path = self._open(import_id)
        headings = sandboxed_reading.check(path, row.name, request)
        if request.layout is not None and request.format == "table":
            with self.store.write() as session:
                import_service.remember(session, headings, request.layout)
        self.queue.start(import_id, path, request)
        return self.one(import_id)

    def stop(self, import_id: int) -> ImportOut:
        """Conflict when it is not running."""
        row = self._row(import_id)
        if row.state != "running" or not self.queue.stop_one(import_id):
            raise Conflict(f"the import is {row.state}; there is nothing to stop", "id", "Not running")
        return _whole(row)

    def undo(self, import_id: int) -> None:
        """Delete everything that an import stored; a file that was only handed in is discarded."""
        row = self._row(import_id)
        if row.state == "running":
            raise Conflict("stop the import first", "id", "Still running")
        if row.state == "done":
            import_service.undo(self.store, import_id)
        elif row.state != "undone":
            with self.store.write() as session:
                session.get_one(Import, import_id).state = "discarded"
        self._path(import_id).unlink(missing_ok=True)

    def _path(self, import_id: int) -> Path:
        return self.folder / str(import_id)

    def _row(self, import_id: int) -> Import:
        with self.store.read() as session:
            row = session.get(Import, import_id, options=[undefer(Import.rejected)])
        if row is None:
            raise NotFound(f"there is no import {import_id}", "id", "Unknown import")
        return row

    def _open(self, import_id: int) -> tuple[Import, Path]:
        row, path = self._row(import_id), self._path(import_id)
        if row.state not in ("open", "failed", "stopped") or not path.exists():
            raise Conflict(f"the import is {row.state}; hand the file in again", "id", "Not open")
        return row, path


def _out(row: Import, reasons: dict[str, int] | None = None, rejected: list[RejectedRow] | None = None) -> ImportOut:
    return ImportOut(
        row.id, row.name, row.who, row.created_us, row.kind, row.state, row.detail, row.servers, row.accepted,
        row.rejected_count, row.since_us, row.until_us, reasons or {}, rejected or [],
    )  # fmt: skip


def _whole(row: Import) -> ImportOut:
    first = [RejectedRow(line, why) for line, why in list(of_document(row.rejected))[:SHOWN_REJECTED]]
    return _out(row, row.rejected.get("reasons", {}), first)


def _look(import_id: int, name: str, found: reading.Look, remembered: bool) -> LookOut:
    fault = found.fault or ("", "")
    targets: dict[str, list[TargetOut]] = {
        kind: [TargetOut(t.name, t.words, t.needed and not t.instead, list(UNITS[t.what])) for t in rows]
        for kind, rows in TARGETS.items()
    }
    rejected = [RejectedRow(line, why) for line, why in found.rejected.listed[:SHOWN_REJECTED]]
    return LookOut(
        import_id, name, found.format, remembered, found.layout, targets, found.headings, found.sample,
        found.rows_looked_at, found.rows_accepted, rejected, fault[0], fault[1],
    )  # fmt: skip
