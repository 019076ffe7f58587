"""Parquet that came from a probe, decoded by a process that is kept for it: under a ceiling of memory, without rights."""

from __future__ import annotations

import io
import threading
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path

import polars as pl

from hardy_gauge.sandbox.frames import frame_of, pieces_of
from hardy_gauge.sandbox.limits import MiB, SandboxLimits
from hardy_gauge.sandbox.process import SandboxEnded, SandboxProcess
from hardy_gauge.sandbox.questions import send_answer

MEMORY = 2048 * MiB
LONGEST_S = 120.0
TOO_MUCH = "it takes more memory than it may"  # what has no words of its own


def serve(connection: Connection, _: Path) -> None:
    """In the sandbox: decode what comes until the connection is closed."""
    while True:
        try:
            body = connection.recv_bytes()
        except EOFError:
            return
        try:
            pieces = list(pieces_of(pl.read_parquet(io.BytesIO(body))))
        except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError, MemoryError) as error:
            send_answer(connection, error=" ".join(str(error).split())[:200] or TOO_MUCH)
            continue
        send_answer(connection, pieces=len(pieces))
        for piece in pieces:
            connection.send_bytes(piece)


class Decoder:
    """One process, begun when it is first needed and again after it ended; one frame at a time."""

    def __init__(self, memory_bytes: int = MEMORY) -> None:
        self._memory = memory_bytes
        self._lock = threading.Lock()
        self._process: SandboxProcess | None = None

    def frame(self, body: bytes) -> pl.DataFrame:
        """The frame of a Parquet file; SandboxEnded when it is none, or takes more than it may.

        A process that has decoded before may lack memory only because its own is in pieces: then a new one is tried.
        """
        with self._lock:
            if self._process is not None:
                with suppress(SandboxEnded):
                    return self._tried(body)
            return self._tried(body)

    def _tried(self, body: bytes) -> pl.DataFrame:
        if self._process is None:
            limits = SandboxLimits(memory_bytes=self._memory, cpu_s=None, file_bytes=0)
            self._process = SandboxProcess("parquet", limits, lasting=True)
        try:
            return self._decoded(self._process, body)
        except BaseException:
            self._process.close()
            self._process = None
            raise

    def _decoded(self, process: SandboxProcess, body: bytes) -> pl.DataFrame:
        process.send_bytes(body)
        if not process.waits(LONGEST_S):
            raise SandboxEnded(f"decoding took longer than {LONGEST_S:g} s")
        found = process.receive()
        if "error" in found:
            raise SandboxEnded(str(found["error"]))
        return frame_of(int(found["pieces"]), process.receive_bytes, self._memory)


_decoder = Decoder()


def decoded(body: bytes) -> pl.DataFrame:
    """The frame of a Parquet file that somebody else made; SandboxEnded when it cannot be had."""
    return _decoder.frame(body)
