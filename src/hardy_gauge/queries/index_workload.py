"""What a server did, as the choice of indexes takes it: its statements with calls and time, its tables, the indexes that are there."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.indexes.sheet import Workload, WorkloadStatement
from hardy_gauge.core.statements.sums import sums
from hardy_gauge.core.time.span import DAY_US, Span
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import covered
from hardy_gauge.queries.evidence import schema_of
from hardy_gauge.queries.evidence_sources import tables_and_sequences
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statements import read_intervals, texts_of

BACK_US = 7 * DAY_US
KINDS = ("select", "insert", "update", "delete", "merge", "with")
MOST = 2000


def index_workload(reader: Reader, name: str, span: Span | None = None) -> Workload:
    """Of a server over the last week, or as far as it was recorded. NotFound, or InvalidInput where no schema was recorded."""
    server = server_named(reader, name)
    until = (server.capture.recorded_until_us if server.capture else None) or reader.clock()
    span = span or Span(until - BACK_US, until + 1)
    schema = schema_of(reader, server, span)
    if isinstance(schema, Unknown):
        raise InvalidInput(f"server: of {name} no schema was recorded", "server")
    frame = read_intervals(reader, [server], span)
    texts = texts_of(reader)
    statements = []
    if len(frame):
        totals = sums(frame, ["statement"]).sort("time_s", descending=True).head(MOST)
        for row in totals.iter_rows(named=True):
            one = texts.get(row["statement"])
            if one is not None and one.kind in KINDS and row["calls"]:
                statements.append(
                    WorkloadStatement(
                        one.fingerprint, one.text, one.kind, float(row["calls"]), float(row["time_s"] or 0.0), float(row["rows_returned"] or 0.0)
                    )
                )  # fmt: skip
    tables, _ = tables_and_sequences(reader, server, span)
    indexes = {} if not isinstance(tables, Mapping) else {table.name: table.indexes for table in tables.values()}
    seconds = covered(reader, [server], span, "statements")[server.id]
    return Workload(
        server.name, schema.dialect, span.since_us, span.until_us, max(seconds, 1.0), statements, schema.tables, indexes
    )
