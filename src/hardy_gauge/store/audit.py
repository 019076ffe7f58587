"""The audit log: every change with who made it, in the same transaction, with old and new values, in a chain of hashes.

While ``acting`` is set, whatever this context writes to a store is a line; ``Store.write`` sees to it. A line's ``hash`` is the
SHA-256 of the hash before it and of its own content, so that a line that was changed or is missing shows.
"""

from __future__ import annotations

import hashlib
import json
from contextlib import AbstractContextManager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from sqlalchemy import inspect, select
from sqlalchemy.orm import Session

from hardy_gauge.context import holding
from hardy_gauge.store.people import Audit

BEGINNING = "0" * 64
LONGEST = 2000
CHANGES = "changes of this transaction"


@dataclass(frozen=True)
class Acting:
    """Who does what, on what, from where; ``at_us`` is when they asked."""

    who: str
    action: str
    object: str
    client: str
    at_us: int


_acting: ContextVar[Acting | None] = ContextVar("acting", default=None)


def acting(found: Acting | None) -> AbstractContextManager[None]:
    """Whatever is written within is done by them; by nobody where it is None."""
    return holding(_acting, found)


def acts() -> Acting | None:
    """Who acts in this context; None where the application works by itself."""
    return _acting.get()


def act_as(who: str) -> None:
    """Say who acts from now on in this context: somebody who has just signed in."""
    found = _acting.get()
    if found is not None:
        _acting.set(Acting(who, found.action, found.object, found.client, found.at_us))


def add_line(session: Session, found: Acting, detail: dict[str, Any]) -> None:
    """Add a line at the end of the chain. The transaction has to be a write, which makes writers follow one another."""
    last = session.scalars(select(Audit.hash).order_by(Audit.id.desc()).limit(1)).first()
    row = Audit(
        at_us=found.at_us, who=found.who, action=found.action, object=found.object,
        detail={"from": found.client} | detail, previous=last or BEGINNING,
    )  # fmt: skip
    row.hash = hash_of(row)
    session.add(row)
    session.flush()


def hash_of(row: Audit) -> str:
    """What the hash of a line has to be."""
    content = [row.previous, row.at_us, row.who, row.action, row.object, row.detail]
    return hashlib.sha256(json.dumps(content, sort_keys=True, ensure_ascii=True).encode()).hexdigest()


def first_broken(session: Session) -> int | None:
    """The number of the first line that does not follow from the one before it; None when the whole chain holds."""
    previous = BEGINNING
    for row in session.scalars(select(Audit).order_by(Audit.id).execution_options(yield_per=1000)):
        if row.previous != previous or row.hash != hash_of(row):
            return row.id
        previous = row.hash
    return None


# what a line says of a row -----------------------------------------------------------------------------------------


def note_changes(session: Session, *_: object) -> None:
    """Before a flush: keep what rows were and what they become. Tables say with ``AUDITED`` which columns are named, and
    with ``SECRETS`` of which it is only said that they changed.
    """
    if _acting.get() is None:
        return
    noted: dict[str, dict[str, list[Any]]] = session.info.setdefault(CHANGES, {})
    for row in (*session.new, *session.dirty, *session.deleted):
        columns = getattr(type(row), "AUDITED", None)
        if columns is None:
            continue
        gone, new = row in session.deleted, row in session.new
        found = {}
        for name in (*columns, *getattr(type(row), "SECRETS", ())):
            before, after = _values(row, name)
            if new or gone or before != after:
                secret = name not in columns
                old, now = (None if new else before), (None if gone else after)
                found[name] = ["", "changed"] if secret else [_short(old), _short(now)]
        if found:
            kept = noted.setdefault(f"{type(row).__tablename__} {_name(row)}", {})
            for name, (old, now) in found.items():
                kept[name] = [kept[name][0] if name in kept else old, now]


def _name(row: Any) -> str:
    return str(getattr(row, "name", None) or getattr(row, "title", None) or getattr(row, "id", None) or "")


def _values(row: Any, name: str) -> tuple[Any, Any]:
    history = inspect(row).attrs[name].history
    now = getattr(row, name)
    return (history.deleted[0] if history.deleted else now), now


def _short(value: Any) -> Any:
    text = json.dumps(value, default=str)
    return value if len(text) <= LONGEST else text[:LONGEST] + "…"


def close_line(session: Session) -> None:
    """At the end of a write: the line of whoever acts, with what was noted."""
    found = _acting.get()
    noted = session.info.pop(CHANGES, {})
    if found is not None:
        add_line(session, found, {"changes": noted} if noted else {})
