"""The data folder: its owner's alone, and one application's at a time."""

from __future__ import annotations

import fcntl
import logging
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from hardy_gauge.errors import Conflict

log = logging.getLogger(__name__)
LOCK = "lock"
FOLDER, FILE = 0o700, 0o600


def make_private(folder: Path) -> None:
    """Make the folder, readable by its owner alone; what lies in it too, where it was not."""
    folder.mkdir(mode=FOLDER, parents=True, exist_ok=True)
    for path, mode in [(folder, FOLDER), *((path, FILE) for path in folder.iterdir() if path.is_file())]:
        if stat.S_IMODE(path.stat().st_mode) & 0o077:
            try:
                path.chmod(mode)
                log.warning("%s could be read by others; it is its owner's alone now", path)
            except PermissionError:
                log.error("%s can be read by others, and belongs to somebody else", path)


def make_file(path: Path) -> None:
    """Make an empty file that only its owner can read, where there is none; what SQLite makes beside it is alike.

    A file that is there is not opened: to close it would give up what this process has locked of it (POSIX), SQLite's locks too.
    """
    with suppress(FileExistsError):
        os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_RDONLY, FILE))


@contextmanager
def locked(folder: Path) -> Iterator[None]:
    """Hold the folder; Conflict names the process that holds it already. The lock ends with the process, however it ends."""
    make_private(folder)
    with os.fdopen(os.open(folder / LOCK, os.O_CREAT | os.O_RDWR, FILE), "r+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            holder = file.read().strip() or "another process"
            raise Conflict(
                f"data: {folder} is recorded to by process {holder} already; stop it first, or choose another folder",
                "data", "The folder is in use",
            ) from None  # fmt: skip
        file.seek(0)
        file.truncate()
        file.write(str(os.getpid()))
        file.flush()
        yield
