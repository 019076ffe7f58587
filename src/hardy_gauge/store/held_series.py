"""Series of one server that were read once and are cut from, within one moment of the store."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import polars as pl


class HeldSeries:
    """Rows with every column, by server and kind, over a span; for one thread."""

    def __init__(self) -> None:
        self._held: dict[tuple[int, str], tuple[int, int, str, pl.DataFrame]] = {}

    def put(self, server_id: int, kind: str, since_us: int, until_us: int, time: str, frame: pl.DataFrame) -> None:
        """Rows in ``[since, until)``; ``time`` names their column of times."""
        if len(frame) and not frame[time].is_sorted():
            frame = frame.sort(time, maintain_order=True)
        self._held[server_id, kind] = since_us, until_us, time, frame

    def cut(
        self, server_id: int, kind: str, since_us: int, until_us: int, columns: Iterable[str] | None
    ) -> pl.DataFrame | None:
        """The rows within a span, with the columns asked for that are there; None where they are not held."""
        held = self._held.get((server_id, kind))
        if held is None or since_us < held[0] or until_us > held[1]:
            return None
        _, _, time, frame = held
        if frame.is_empty():
            return frame
        low, high = np.searchsorted(frame[time].to_numpy(), (since_us, until_us))
        if low == high:
            return pl.DataFrame()
        if columns is None:
            return frame[low:high]
        kept = [c for c in dict.fromkeys((time, *columns, "server_id")) if c in frame.columns]
        return frame[low:high, kept]
