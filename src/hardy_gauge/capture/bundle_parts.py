"""The parts of a bundle, read apart: in a process of its own with a ceiling of memory (see ``imports.sandboxed_reading``)."""

from __future__ import annotations

import io
import json
import struct
import zipfile
import zlib
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import polars as pl

from hardy_gauge.errors import InvalidInput
from hardy_gauge.sandbox.frames import frame_of, pieces_of
from hardy_gauge.sandbox.limits import SandboxLimits
from hardy_gauge.sandbox.process import SandboxEnded, SandboxProcess
from hardy_gauge.sandbox.questions import questions, send_answer
from hardy_gauge.settings import AppSettings

# what the archive's reader and JSON raise on bytes that are not theirs
DAMAGED = (
    zipfile.BadZipFile, zlib.error, struct.error, KeyError, NotImplementedError, RuntimeError, EOFError, OSError, ValueError,
)  # fmt: skip
MOST_DOCUMENT = 64 * 2**20
CPU_S = 3600


class BadBundle(InvalidInput):
    """A file that is no bundle, or a damaged one."""

    title = "The file cannot be opened"

    def __init__(self, detail: str, field: str = "file") -> None:
        super().__init__(detail, field)


def serve(connection: Connection, _: Path) -> None:
    """In the sandbox: answer for parts of one archive until the connection is closed."""
    archive: zipfile.ZipFile | None = None
    for asked in questions(connection):
        try:
            archive = archive or zipfile.ZipFile(asked["path"])
            _answer(connection, archive, asked)
        except (*DAMAGED, MemoryError, pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
            words = " ".join(str(error).split())[:200] or type(error).__name__
            send_answer(connection, damaged=words)


def _answer(connection: Connection, archive: zipfile.ZipFile, asked: dict[str, Any]) -> None:
    name = asked["name"]
    if name not in archive.namelist():
        send_answer(connection, missing=True)
    elif asked["do"] == "document":
        with archive.open(name) as file:
            content = file.read(MOST_DOCUMENT + 1)
        if len(content) > MOST_DOCUMENT:
            raise ValueError(f"more than {MOST_DOCUMENT:,} bytes")
        send_answer(connection, document=json.loads(content))
    else:
        with archive.open(name) as file:
            pieces = list(pieces_of(pl.read_parquet(io.BytesIO(file.read()))))
        send_answer(connection, pieces=len(pieces))
        for piece in pieces:
            connection.send_bytes(piece)


class BundleParts:
    """An opened archive; a context. Everything of it is read in the sandbox, and BadBundle says what is damaged."""

    def __init__(self, path: Path) -> None:
        self._path, self._most = path.resolve(), AppSettings().import_memory
        self._left = self._most
        limits = SandboxLimits(memory_bytes=self._most, cpu_s=CPU_S, file_bytes=0)
        self._sandbox = SandboxProcess("bundle", limits, readable=[self._path])

    def __enter__(self) -> BundleParts:
        return self

    def __exit__(self, *_: object) -> None:
        self._sandbox.close()

    def frame(self, name: str) -> pl.DataFrame:
        """A Parquet part; empty when there is none."""
        found = self._ask("frame", name)
        try:
            made = frame_of(found.get("pieces", 0), self._sandbox.receive_bytes, self._left)
        except SandboxEnded as error:
            raise self._ended(name, error) from error
        self._left -= int(made.estimated_size())
        return made

    def document(self, name: str) -> Any:
        """A JSON part; None when there is none."""
        return self._ask("document", name).get("document")

    def _ask(self, what: str, name: str) -> dict[str, Any]:
        try:
            self._sandbox.send({"do": what, "name": name, "path": str(self._path)})
            found = self._sandbox.receive()
        except SandboxEnded as error:
            raise self._ended(name, error) from error
        if "damaged" in found:
            raise BadBundle(f"{name} is damaged: {found['damaged']}")
        return found

    def _ended(self, name: str, error: SandboxEnded) -> BadBundle:
        return BadBundle(
            f"{name} takes more than {self._most:,} bytes of memory, or cannot be read: {error}; "
            "HARDY_GAUGE_IMPORT_MEMORY sets how much it may take"
        )
