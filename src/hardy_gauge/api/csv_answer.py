"""Tables as CSV (RFC 4180) for download."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from fastapi import Response

from hardy_gauge.api.downloads import attachment
from hardy_gauge.core.figures.csv_cells import neutral_cell


def csv_answer(name: str, head: Sequence[str], rows: Iterable[Sequence[object]]) -> Response:
    """A file of this name with a head line."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(map(neutral_cell, head))
    writer.writerows([neutral_cell(cell) for cell in row] for row in rows)
    return Response(buffer.getvalue(), media_type="text/csv; charset=utf-8", headers=attachment(name))
