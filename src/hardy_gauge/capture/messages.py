"""Log messages by minute and shape, with their number."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

import polars as pl

from hardy_gauge.capture.statement_registry import Seen, StatementRegistry
from hardy_gauge.core.sql.message_shape import message_shape
from hardy_gauge.core.sql.normalise import fingerprint
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.probes.protocol import LogMessage

KEYS = ("at_us", "severity", "code", "shape", "user", "service", "database", "statement_key", "detail")


def running_in(messages: Iterable[LogMessage]) -> Iterator[Seen]:
    """The statements that messages name."""
    for one in messages:
        if one.statement:
            yield Seen(_key(one) or "", one.statement, one.user, one.service, one.database)


def messages_frame(messages: Sequence[LogMessage], registry: StatementRegistry) -> pl.DataFrame:
    """Messages of one shape in a minute are one row with their ``count``; statements that were only logged are left out."""
    counted = Counter(
        (one.at_us // MINUTE_US * MINUTE_US, one.severity, one.code, message_shape(one.text), one.user, one.service,
         one.database, _key(one), one.detail)
        for one in messages
        if one.severity != "info" or one.text != one.statement
    )  # fmt: skip
    schema = {name: pl.Int64 if name == "at_us" else pl.String for name in KEYS} | {"count": pl.Int64}
    frame = pl.DataFrame([(*key, count) for key, count in counted.items()], schema=schema, orient="row")
    return registry.with_statements(frame, named=False)


def _key(message: LogMessage) -> str | None:
    return f"text:{fingerprint(message.statement)}" if message.statement else None
