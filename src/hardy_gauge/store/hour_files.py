"""Rows of many servers' hours, decoded and put together, in files beside the store: reading one costs next to nothing, and decoding the
blocks of two hundred servers that it is made of a tenth of a second.

They are no record: what cannot be written is decoded again, and the application that serves takes them up only where the store is still as it
was left when it stopped last.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import threading
from collections import OrderedDict
from collections.abc import Sequence
from pathlib import Path

import polars as pl

from hardy_gauge.store.data_folder import FILE, FOLDER

MOST_BYTES = 2 * 2**30
WORTH_BLOCKS = 32  # fewer are decoded quickly
HOUR_US = 3_600_000_000
END = ".arrow"
LEFT = "as-left"


class HourFiles:
    """Files by what is in them, the last used kept, up to a number of bytes. Thread-safe."""

    def __init__(self, folder: Path, most_bytes: int = MOST_BYTES, stamp: str = "") -> None:
        self.folder, self._most, self._bytes = folder, most_bytes, 0
        self._sizes: OrderedDict[str, int] = OrderedDict()
        self._lock = threading.Lock()
        if not stamp or not self._take_up(stamp):
            shutil.rmtree(folder, ignore_errors=True)
            folder.mkdir(mode=FOLDER, parents=True)

    def _take_up(self, stamp: str) -> bool:
        """Go on with the files that are there, if they were left with the same stamp."""
        try:
            left = (self.folder / LEFT).read_text(encoding="utf-8")
            (self.folder / LEFT).unlink()
            found = [(path.stat(), path) for path in self.folder.iterdir()]
        except OSError:
            return False
        if left != stamp:
            return False
        for stat, path in sorted(found, key=lambda one: one[0].st_mtime):
            if path.name.endswith(END):
                self._sizes[path.name] = stat.st_size
                self._bytes += stat.st_size
            else:
                path.unlink(missing_ok=True)
        return True

    def leave(self, stamp: str) -> None:
        """Say of which state of the store they are; nothing may be put or deleted after it."""
        try:
            with os.fdopen(os.open(self.folder / LEFT, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, FILE), "w") as file:
                file.write(stamp)
        except OSError:
            return

    def get(self, kind: str, hour: int, of: object) -> pl.DataFrame | None:
        """The frame of an hour, mapped into memory; None where it is not kept."""
        name = _name(kind, hour, of)
        with self._lock:
            if name not in self._sizes:
                return None
            self._sizes.move_to_end(name)
        try:
            return pl.read_ipc(self.folder / name)
        except (OSError, pl.exceptions.PolarsError):
            self._drop([name])
            return None

    def put(self, kind: str, hour: int, of: object, frame: pl.DataFrame) -> None:
        """Keep it, where there is room on the disk."""
        name = _name(kind, hour, of)
        path, part = self.folder / name, self.folder / f"{name}.{threading.get_ident()}"
        try:
            with os.fdopen(os.open(part, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, FILE), "wb") as file:
                frame.write_ipc(file, compat_level=pl.CompatLevel.newest())
            size = part.stat().st_size
            part.replace(path)
        except OSError:
            part.unlink(missing_ok=True)
            return
        with self._lock:
            self._bytes += size - self._sizes.pop(name, 0)
            self._sizes[name] = size
            oldest, left = [], self._bytes
            for other, taken in self._sizes.items():
                if left <= self._most:
                    break
                oldest.append(other)
                left -= taken
        self._drop(oldest)

    def drop_before(self, kind: str, before_us: int) -> None:
        """Without the hours of a kind that are past their age."""
        with self._lock:
            names = [name for name in self._sizes if name.split("-")[0] == kind]
        self._drop([name for name in names if int(name.split("-")[1]) * HOUR_US < before_us])

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            names = list(self._sizes)
        self._drop(names)

    def _drop(self, names: Sequence[str]) -> None:
        with self._lock:
            for name in names:
                self._bytes -= self._sizes.pop(name, 0)
        for name in names:
            (self.folder / name).unlink(missing_ok=True)


def _name(kind: str, hour: int, of: object) -> str:
    return f"{kind}-{hour}-{hashlib.sha256(repr(of).encode()).hexdigest()[:32]}{END}"


_files: HourFiles | None = None


def use(files: HourFiles | None) -> None:
    """Keep files from now on, or none. Of one store: that of the application that serves."""
    global _files
    _files = files


def files_for(blocks: int) -> HourFiles | None:
    """Where an hour of so many blocks is kept; None where it is not worth it."""
    return _files if blocks >= WORTH_BLOCKS else None


def forget(kind: str | None = None, before_us: int = 0) -> None:
    """Files of hours that were deleted from the store: of a kind before a moment, or all."""
    if _files is not None:
        if kind is None:
            _files.clear()
        else:
            _files.drop_before(kind, before_us)
