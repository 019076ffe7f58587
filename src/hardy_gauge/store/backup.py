"""Backups of the store while it is in use: one file, consistent, checked, and encrypted where it is asked for.

A backup is a ZIP archive with ``manifest.json`` and ``store.db``. The key of the keyring is not in it: whoever has a backup
alone has no secret of a server.
"""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import shutil
import sqlite3
import tempfile
import time
import zipfile
from contextlib import closing
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from hardy_gauge import __version__
from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.store.data_folder import FILE, make_private
from hardy_gauge.store.encryption import MAGIC, decrypt, encrypt

FORMAT = "hardy-gauge backup"
SUFFIX = ".backup"
STORE = "hardy-gauge.db"
TABLES = ("server", "segment", "statement", "finding", "person", "audit", "trial", "report")
PIECE = 2**20


class BadBackup(InvalidInput):
    """A file that is no backup, a damaged one, or one whose passphrase is another."""

    title = "The backup cannot be used"


@dataclass(frozen=True)
class Manifest:
    """What a backup holds: when and by which version it was made, its size and SHA-256, and rows by table."""

    format: str
    version: str
    made_us: int
    size: int
    sha256: str
    rows: dict[str, int]


def back_up(store: Path, to: Path, passphrase: str = "") -> Manifest:
    """Write a backup of the store to the file ``to``; it may be written to meanwhile. Nothing is left when it fails.

    The copy is checked before it is kept: its pages and its rows.
    """
    if to.exists():
        raise Conflict(f"to: {to} is there already", "to", "The file is there")
    make_folder(to.parent)
    with tempfile.TemporaryDirectory(dir=to.parent, prefix=".backup-") as folder:
        copy, archive = Path(folder, STORE), Path(folder, "archive")
        copy_store(store, copy)
        manifest = Manifest(
            FORMAT, __version__, time.time_ns() // 1000, copy.stat().st_size, _digest(copy), _checked(copy)
        )
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
            out.writestr("manifest.json", json.dumps(asdict(manifest), indent=1))
            out.write(copy, "store.db")
        copy.unlink()
        made = archive
        if passphrase:
            made = Path(folder, "encrypted")
            with archive.open("rb") as source, made.open("wb") as target:
                encrypt(source, target, passphrase)
        made.chmod(FILE)
        made.rename(to)
    return manifest


def restore(source: Path, data: Path, passphrase: str = "", replace: bool = False) -> Manifest:
    """Put the store of a backup into a folder, whole or not at all. Conflict when there is a store, unless it is to be
    replaced: then the old one is kept beside it under another name.
    """
    make_private(data)
    target = data / STORE
    if target.exists() and not replace:
        raise Conflict(f"data: there is a store in {data} already", "data", "There is a store")
    with tempfile.TemporaryDirectory(dir=data, prefix=".restore-") as folder:
        copy = Path(folder, STORE)
        manifest = unpack(source, copy, passphrase)
        if target.exists():
            aside = f"{STORE}.replaced-{datetime.now(UTC):%Y%m%dT%H%M%SZ}"
            for suffix in ("", "-wal", "-shm"):
                old = data / f"{STORE}{suffix}"
                if old.exists():
                    old.rename(data / f"{aside}{suffix}")
        copy.chmod(FILE)
        copy.rename(target)
    return manifest


def unpack(source: Path, to: Path, passphrase: str) -> Manifest:
    """The store of a backup at ``to``, checked; BadBackup when it is not what was written."""
    archive = to.with_name("archive")
    try:
        with source.open("rb") as file:
            encrypted = file.read(len(MAGIC)) == MAGIC
            file.seek(0)
            if encrypted:
                if not passphrase:
                    raise BadBackup("passphrase: the backup is encrypted", "passphrase")
                with archive.open("wb") as target:
                    decrypt(file, target, passphrase)
        with zipfile.ZipFile(archive if encrypted else source) as found:
            manifest = Manifest(**json.loads(found.read("manifest.json")))
            if manifest.format != FORMAT:
                raise BadBackup("from: the file is no backup", "from")
            with found.open("store.db") as packed, to.open("wb") as target:
                shutil.copyfileobj(packed, target, PIECE)
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, EOFError, OSError) as error:
        if isinstance(error, BadBackup):
            raise
        raise BadBackup(
            f"from: the file is no backup, or damaged: {' '.join(str(error).split())[:200]}", "from"
        ) from error
    finally:
        archive.unlink(missing_ok=True)
    if to.stat().st_size != manifest.size or _digest(to) != manifest.sha256:
        raise BadBackup("from: the store in the backup is not the one that was written", "from")
    if _checked(to) != manifest.rows:
        raise BadBackup("from: the store in the backup has other rows than were written", "from")
    return manifest


def copy_store(source: Path, to: Path) -> None:
    """A consistent copy of a store that is in use (SQLite's online backup, in one step, beside its writers)."""
    with closing(sqlite3.connect(source)) as reading, closing(sqlite3.connect(to)) as copy:
        reading.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    to.chmod(FILE)


def scheduled(folder: Path, now_us: int) -> Path:
    """The file of a backup that is made now."""
    return folder / f"hardy-gauge-{datetime.fromtimestamp(now_us / 1e6, UTC):%Y%m%dT%H%M%SZ}{SUFFIX}"


def made_before(folder: Path) -> list[Path]:
    """The backups of a folder, the oldest first."""
    return sorted(folder.glob(f"hardy-gauge-*{SUFFIX}")) if folder.is_dir() else []


def keep_last(folder: Path, number: int) -> int:
    """Remove all but the last backups of a folder; returns how many were removed."""
    old = made_before(folder)[:-number]
    for path in old:
        path.unlink(missing_ok=True)
    return len(old)


def make_folder(folder: Path) -> None:
    """A folder for backups, its owner's alone where it is made."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    if not os.access(folder, os.W_OK):
        raise InvalidInput(f"to: {folder} cannot be written", "to")


def new_passphrase() -> str:
    """One to write down."""
    return secrets.token_urlsafe(24)


def _checked(path: Path) -> dict[str, int]:
    with closing(sqlite3.connect(path)) as connection:
        (words,) = connection.execute("PRAGMA quick_check(1)").fetchone()
        if words != "ok":
            raise BadBackup(f"store: the copy is damaged: {words}", "store")
        known = {name for (name,) in connection.execute("SELECT name FROM sqlite_schema WHERE type = 'table'")}
        return {
            table: int(connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0])
            for table in TABLES
            if table in known
        }


def _digest(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(PIECE):
            found.update(piece)
    return found.hexdigest()
