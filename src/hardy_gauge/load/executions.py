"""The executions of a run as a frame."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import polars as pl

from hardy_gauge.load.worker_rows import SIZE
from hardy_gauge.sandbox.process import SandboxEnded

SCHEMA = {"start_s": pl.Float64, "duration_s": pl.Float64, "statement": pl.Int32, "failed": pl.Boolean}
TYPES = (np.float64, np.float64, np.int32, np.int8)


def executions_of(packed: Sequence[bytes]) -> pl.DataFrame:
    """What workers sent (``WorkerRows``), one after the other; SandboxEnded where it cannot be read."""
    return pl.concat([pl.DataFrame(schema=SCHEMA), *map(_frame, packed)])


def _frame(content: bytes) -> pl.DataFrame:
    count, rest = divmod(len(content), SIZE)
    if rest:
        raise SandboxEnded("a worker of the trial sent rows that cannot be read")
    parts = np.split(np.frombuffer(content, np.uint8), np.cumsum([8 * count, 8 * count, 4 * count]))
    columns = [part.view(kind) for part, kind in zip(parts, TYPES, strict=True)]
    return pl.DataFrame(dict(zip(SCHEMA, columns, strict=True))).cast({"failed": pl.Boolean})
