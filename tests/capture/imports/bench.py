"""What tests of imports share: hand a text in and take it, and read back what is stored."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import undefer

from hardy_gauge.capture.imports import import_service
from hardy_gauge.capture.imports.reading import ImportRequest, look
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import, Server, Statement

NOW = 1_773_000_000_000_000


def bring(store: Store, folder: Path, content: bytes | str, name: str = "file", **wanted: Any) -> Import:
    """Take a file as it is guessed; keywords say otherwise."""
    path = folder / "handed-in"
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    found = look(path, name, {})
    import_id = import_service.hand_in(store, name, path, "maren", NOW)
    asked = {"format": found.format, "server": "east", "layout": found.layout} | wanted
    import_service.run_import(store, import_id, path, ImportRequest.model_validate(asked), NOW)
    return stored_import(store, import_id)


def stored_import(store: Store, import_id: int) -> Import:
    with store.read() as session:
        return session.get_one(Import, import_id, options=[undefer(Import.rejected)])


def stored(store: Store, kind: segments.Kind, server: str = "east") -> pl.DataFrame:
    """Rows of a series with the statement's text, in order of time; empty when the server is not there."""
    with store.read() as session:
        server_id = session.scalar(select(Server.id).where(Server.name == server))
        frame = segments.read(session, [server_id or -1], kind, 0, 2**62)
        texts = {row.id: row.text for row in session.scalars(select(Statement))}
    if "statement" in frame.columns:
        frame = frame.with_columns(pl.col("statement").replace_strict(texts, return_dtype=pl.String).alias("text"))
    return frame if frame.is_empty() else frame.sort(segments.TIME[kind])


def left(row: Import) -> list[tuple[int, str]]:
    return [(line, why) for line, why in row.rejected["listed"]]
