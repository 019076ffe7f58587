"""Scope, focus and reference of a request: which servers, which window, compared with what.

A focus is an ISO 8601 interval "from/to", or a duration such as "PT1H" that ends now. A reference is
"usual" or an interval.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated

from fastapi import Depends, Query, Request
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.api.data import Data, data_of
from hardy_gauge.api.problems import Problem
from hardy_gauge.store.models import Cluster, Server

MINUTE_US = 60_000_000
DAY_US = 86_400_000_000
LONGEST_US = 40 * DAY_US
_DURATION = re.compile(r"P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?")


@dataclass(frozen=True)
class Span:
    since_us: int
    until_us: int

    @property
    def seconds(self) -> float:
        return (self.until_us - self.since_us) / 1e6

    def moved(self, by_us: int) -> Span:
        return Span(self.since_us + by_us, self.until_us + by_us)

    def iso(self) -> str:
        return f"{iso(self.since_us)}/{iso(self.until_us)}"


@dataclass(frozen=True)
class Window:
    """``reference`` is None for the usual range: then ``reference_spans`` are the same hours of earlier days."""

    focus: Span
    reference: Span | None
    following: bool

    @property
    def reference_spans(self) -> list[Span]:
        if self.reference is not None:
            return [self.reference]
        weekend = _is_weekend(self.focus.since_us)
        spans = [self.focus.moved(-day * DAY_US) for day in range(1, 8)]
        alike = [s for s in spans if _is_weekend(s.since_us) == weekend]
        return [s for s in alike if s.until_us <= self.focus.since_us]


def _is_weekend(at_us: int) -> bool:
    return datetime.fromtimestamp(at_us / 1e6, UTC).weekday() >= 5


def iso(at_us: int) -> str:
    return datetime.fromtimestamp(at_us / 1e6, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def parse_span(text: str, field: str) -> Span:
    """An interval "from/to"; Problem when it is none, is empty, or is longer than 40 days."""
    parts = text.split("/")
    try:
        since, until = (int(datetime.fromisoformat(part).timestamp() * 1e6) for part in parts)
    except (ValueError, TypeError) as error:
        detail = f"{field}: an interval such as 2026-03-02T09:00:00Z/2026-03-02T10:00:00Z was expected"
        raise Problem(422, "Impossible window", detail, field) from error
    if until <= since:
        raise Problem(422, "Impossible window", f"{field}: the end must be after the start", field)
    if until - since > LONGEST_US:
        raise Problem(422, "Impossible window", f"{field}: at most 40 days at a time", field)
    return Span(since, until)


def parse_focus(text: str, now_us: int) -> tuple[Span, bool]:
    match = _DURATION.fullmatch(text)
    if match and any(match.groups()):
        days, hours, minutes = (int(part or 0) for part in match.groups())
        length = days * DAY_US + (hours * 60 + minutes) * MINUTE_US
        if not 0 < length <= LONGEST_US:
            raise Problem(422, "Impossible window", "focus: from one minute to 40 days", "focus")
        return Span(now_us - length, now_us), True
    span = parse_span(text, "focus")
    if span.since_us > now_us:
        raise Problem(422, "Impossible window", "focus: it lies in the future; nothing is recorded there", "focus")
    return span, False


def window_of(
    request: Request,
    focus: Annotated[str, Query(description="an ISO 8601 interval, or a duration that ends now")] = "PT1H",
    reference: Annotated[str, Query(description="'usual' or an ISO 8601 interval")] = "usual",
) -> Window:
    span, following = parse_focus(focus, data_of(request).clock())
    return Window(span, None if reference == "usual" else parse_span(reference, "reference"), following)


CurrentWindow = Annotated[Window, Depends(window_of)]


def find_server(session: Session, name: str) -> Server:
    """A server by name with its cluster; Problem 404 names the servers there are."""
    server = session.scalar(select(Server).where(Server.name == name).options(joinedload(Server.cluster)))
    if server is None:
        known = ", ".join(session.scalars(select(Server.name).order_by(Server.name)))
        raise Problem(404, "Unknown server", f"no server '{name}' in the fleet; there are: {known or 'none'}", "server")
    return server


def servers_in(data: Data, scope: str) -> list[Server]:
    """The servers of a scope: "fleet", a cluster's name, or a server's name. A retired one only by its name."""
    with data.store.read() as session:
        query = select(Server).options(joinedload(Server.cluster), joinedload(Server.capture)).order_by(Server.name)
        if scope != "fleet":
            cluster = session.scalar(select(Cluster).where(Cluster.name == scope))
            if cluster is None:
                find_server(session, scope)
                query = query.where(Server.name == scope)
            else:
                query = query.where(Server.cluster_id == cluster.id, Server.retired_us.is_(None))
        else:
            query = query.where(Server.retired_us.is_(None))
        return list(session.scalars(query))
