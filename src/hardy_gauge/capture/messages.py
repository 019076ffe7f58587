"""Log messages into changes (schema, settings, software, each once), and all of them by minute and shape with their number."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.statement_registry import Seen, StatementRegistry
from hardy_gauge.core.sql.message_shape import message_shape
from hardy_gauge.core.sql.normalise import fingerprint
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.probes.protocol import LogMessage, LogMessages
from hardy_gauge.store.models import Change

CHANGED_FROM = " changed from "
# a setting that the log and the settings themselves report so close together changed once
SAME_CHANGE_US = 180_000_000


def record_messages_in(session: Session, server_id: int, messages: LogMessages) -> None:
    """Store the changes that log messages report, each once."""
    for message in messages.messages:
        if message.change is None or _is_known(session, server_id, message):
            continue
        session.add(
            Change(
                server_id=server_id, at_us=message.at_us, kind=message.change, title=message.text, object=message.object or "",
            )
        )  # fmt: skip
        session.flush()


def _is_known(session: Session, server_id: int, message: LogMessage) -> bool:
    """Whether the change is stored: by this message, or, of a setting, by its values, which then get the log's time."""
    mine = select(Change).where(Change.server_id == server_id, Change.kind == message.change)
    if session.scalar(mine.where(Change.at_us == message.at_us, Change.title == message.text)) is not None:
        return True
    if message.change != "setting" or not message.object:
        return False
    by_values = session.scalars(
        mine.where(
            Change.object == message.object, Change.title.like(f"{message.object}{CHANGED_FROM}%"),
            Change.at_us.between(message.at_us, message.at_us + SAME_CHANGE_US),
        ).order_by(Change.at_us)
    ).first()  # fmt: skip
    if by_values is not None:
        by_values.at_us = message.at_us
    return by_values is not None


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
