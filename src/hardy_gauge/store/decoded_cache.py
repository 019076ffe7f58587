"""Decoded rows of segments, the last used kept."""

from __future__ import annotations

import threading
from collections import OrderedDict

import polars as pl

LEAST_COLUMN = 4096  # bytes: what is allocated for a column of a few rows


class DecodedCache:
    """Frames by key, up to a number of bytes, each column taking ``LEAST_COLUMN`` at least. A key may have a ``version``, and only its last one is kept: a segment never changes once it
    is stored, but which of them make up an hour does. Thread-safe.
    """

    def __init__(self, most_bytes: int) -> None:
        self._frames: OrderedDict[object, tuple[pl.DataFrame, int, object]] = OrderedDict()
        self._bytes, self._most = 0, most_bytes
        self._lock = threading.Lock()

    def get(self, key: object, version: object = None) -> pl.DataFrame | None:
        """None where it is not kept, or of another version."""
        with self._lock:
            found = self._frames.get(key)
            if found is None or found[2] != version:
                return None
            self._frames.move_to_end(key)
            return found[0]

    def put(self, key: object, frame: pl.DataFrame, size: int, version: object = None) -> None:
        """``size`` is what the rows of the frame take, in bytes, about; one that would take a quarter of all room is not kept."""
        size += frame.width * LEAST_COLUMN
        with self._lock:
            before = self._frames.pop(key, None)
            if before is not None:
                self._bytes -= before[1]
            if size < self._most // 4:
                self._frames[key] = (frame, size, version)
                self._bytes += size
            while self._bytes > self._most:
                _, (_, dropped, _) = self._frames.popitem(last=False)
                self._bytes -= dropped

    def at_most(self, most_bytes: int) -> None:
        """Another number of bytes from now on."""
        with self._lock:
            self._most = most_bytes

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._frames.clear()
            self._bytes = 0
