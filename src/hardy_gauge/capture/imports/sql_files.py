"""A folder of SQL files, as an archive or one by one, as a workload's statements."""

from __future__ import annotations

import io
import zipfile
from typing import Any

from hardy_gauge.capture.imports.rejected_rows import ImportRefused, RejectedRows
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.core.sql.split import split

MOST_BYTES = 64 * 2**20
PLAYED = frozenset({"select", "insert", "update", "delete", "merge", "with", "values"})


def read_workload(content: bytes, name: str, rejected: RejectedRows) -> list[dict[str, Any]]:
    """Statements with weights, as a trial's design has them; texts that are alike to the letter once, their weights
    added. ImportRefused when there is none.
    """
    found: dict[str, float] = {}
    for file, text in _texts(content, name):
        for cut in split(text):
            where = f"{file}: " if file != name else ""
            kind = normalise(cut.sql).kind
            if kind not in PLAYED:
                rejected.add(cut.line, f"{where}not a statement to play, but {kind}: {' '.join(cut.sql.split())[:60]}")
            elif cut.weight <= 0:
                rejected.add(cut.line, f"{where}its weight is not above zero")
            else:
                found[cut.sql] = found.get(cut.sql, 0.0) + cut.weight
    if not found:
        raise ImportRefused("no statement that could be played was found")
    return [{"sql": sql, "weight": weight} for sql, weight in found.items()]


def _texts(content: bytes, name: str) -> list[tuple[str, str]]:
    if not content.startswith(b"PK"):
        return [(name, content.decode("utf-8-sig", "replace"))]
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            items = [item for item in archive.infolist() if item.filename.lower().endswith(".sql")]
            if sum(item.file_size for item in items) > MOST_BYTES:
                raise ImportRefused(f"the archive holds more than {MOST_BYTES:,} bytes of SQL")
            rows = [(i.filename, archive.read(i).decode("utf-8-sig", "replace")) for i in items]
    except ImportRefused:
        raise
    except Exception as error:
        raise ImportRefused(f"the archive cannot be read: {type(error).__name__}") from error
    return sorted(rows)
