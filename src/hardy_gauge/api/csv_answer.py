"""Tables as CSV (RFC 4180) for download."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from fastapi import Response


def csv_answer(name: str, head: Sequence[str], rows: Iterable[Sequence[object]]) -> Response:
    """A file of this name with a head line."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(head)
    writer.writerows(rows)
    headers = {"content-disposition": f'attachment; filename="{name}"'}
    return Response(buffer.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)
