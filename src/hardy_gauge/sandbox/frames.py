"""Tables over the connection of a sandbox: in pieces, as Arrow IPC without compression, so that their size is what they take."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator

import polars as pl

from hardy_gauge.sandbox.process import SandboxEnded

PIECE_BYTES = 32 * 2**20


def pieces_of(frame: pl.DataFrame) -> Iterator[bytes]:
    """The frame's rows in pieces of about 32 MiB; one piece where there are none."""
    rows = max(1, int(PIECE_BYTES / max(1.0, frame.estimated_size() / max(1, len(frame)))))
    for part in frame.iter_slices(rows) if len(frame) else [frame]:
        buffer = io.BytesIO()
        part.write_ipc_stream(buffer, compression="uncompressed")
        yield buffer.getvalue()


def frame_of(count: int, receive: Callable[[], bytes], most_bytes: int) -> pl.DataFrame:
    """The frame of ``count`` pieces; SandboxEnded when they are more than ``most_bytes`` or no tables."""
    parts: list[pl.DataFrame] = []
    size = 0
    for _ in range(count):
        content = receive()
        size += len(content)
        if size > most_bytes:
            raise SandboxEnded(f"more than {most_bytes:,} bytes came out of the file")
        try:
            parts.append(pl.read_ipc_stream(io.BytesIO(content)))
        except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
            raise SandboxEnded("what came out of the file is no table") from error
    return pl.concat(parts) if parts else pl.DataFrame()
