"""What tables and indexes would take if they were written anew, from the statistics of their columns.

After "Database Page Layout" and "B-Tree Indexes: Deduplication" of PostgreSQL's documentation: a page has a header of 24
bytes, a row a line pointer of 4 bytes and a header of 23 bytes with a bit for each column where there are nulls, and both
the header and the row are a multiple of 8 bytes long. An entry of an index has a header of 8 bytes, and 8 more where one of its values is null; entries of one value
are one with 6 bytes for each row. An estimate: common practice is to trust it where a table is larger than some megabytes.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from hardy_gauge.probes.sqlpack.engine_adapter import Placed

PAGE_BYTES, PAGE_HEADER, LINE_POINTER = 8192, 24, 4
ROW_HEADER, ENTRY_HEADER, NULLS, ROW_NUMBER, INDEX_SPECIAL = 23, 8, 8, 6, 16
HEAP_FILL, INDEX_FILL = 100, 90
# upper pages of an index: one entry for each page below
UPPER = 1.005


def needed_heap_bytes(rows: float, columns: Sequence[Placed], fill: int = HEAP_FILL) -> int:
    """Bytes of the heap of ``rows`` without dead rows or free space; ``fill`` is the share of a page that is filled, in %."""
    nulls = any(placed.column.null_share > 0 for placed in columns)
    header = _multiple(ROW_HEADER + (-(-len(columns) // 8) if nulls else 0))
    row = LINE_POINTER + header + _multiple(_values(columns))
    a_page = max(1.0, (PAGE_BYTES - PAGE_HEADER) * fill / 100 // row)
    return math.ceil(rows / a_page) * PAGE_BYTES


def needed_index_bytes(rows: float, columns: Sequence[Placed], unique: bool, fill: int = INDEX_FILL) -> int:
    """Bytes of a B-tree over ``columns`` of ``rows``."""
    nulls = 1.0 - math.prod(1.0 - placed.column.null_share for placed in columns)
    full = _multiple(ENTRY_HEADER + _values(columns, with_nulls=False))
    key = (1 - nulls) * full + nulls * _multiple(ENTRY_HEADER + NULLS + _values(columns))
    distinct = rows
    if not unique and all(placed.column.distinct for placed in columns):
        distinct = min(rows, math.prod(placed.column.distinct or 1.0 for placed in columns))
    each = LINE_POINTER + key
    bytes_in_all = rows * each
    if distinct and rows / distinct >= 2:
        # one entry holds as many rows as fit into a sixth of a page
        most = max(1.0, (PAGE_BYTES / 6 - key) / ROW_NUMBER)
        entries = distinct * max(1.0, rows / distinct / most)
        bytes_in_all = entries * each + rows * ROW_NUMBER
    room = (PAGE_BYTES - PAGE_HEADER - INDEX_SPECIAL) * fill / 100
    return (math.ceil(bytes_in_all / room * UPPER) + 1) * PAGE_BYTES


def _values(columns: Sequence[Placed], with_nulls: bool = True) -> float:
    """Bytes of a row's values, each at its place; without nulls as if there were none."""
    at = 0.0
    for placed in columns:
        share = 1.0 - placed.column.null_share if with_nulls else 1.0
        if placed.align > 1 and share > 0.5:
            at = -(-at // placed.align) * placed.align
        at += placed.column.width_bytes * share
    return at


def _multiple(size: float) -> float:
    return -(-size // 8) * 8
