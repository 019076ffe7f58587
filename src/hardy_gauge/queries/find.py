"""Find anything: servers, clusters, statements, trials, articles."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Select, select

from hardy_gauge.core.handbook.articles import holding
from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.store import segments
from hardy_gauge.store.models import Cluster, Server, Statement
from hardy_gauge.store.reach import reach
from hardy_gauge.store.trial_models import Trial

MOST = 8
KINDS = ("server", "cluster", "trial", "article", "statement")


@dataclass(frozen=True)
class Hit:
    """Something that was found: its kind, its name in addresses, its words."""

    kind: str
    name: str
    words: str


def find(reader: Reader, text: str) -> list[Hit]:
    """Everything whose name or text holds all the words of a text, at most eight of each kind."""
    words = text.lower().split()
    seen = None if reach() is None else _statements_within(reader)
    with reader.store.read() as session:
        hits = [
            Hit("cluster", c.name, f"cluster {c.name}") for c in session.scalars(select(Cluster).order_by(Cluster.name))
        ]
        hits += [
            Hit("server", server.name, f"{server.name}, {server.role} of {server.cluster.name}")
            for server in session.scalars(select(Server).order_by(Server.name))
        ]
        hits += [Hit("trial", str(t.id), t.title) for t in session.scalars(select(Trial).order_by(Trial.id.desc()))]
        hits += [Hit("statement", s.fingerprint, s.text) for s in session.scalars(_wanted(seen))]
    found = [hit for hit in hits if all(word in f"{hit.kind} {hit.words}".lower() for word in words)]
    if words:
        found += [Hit("article", f"{a.group}/{a.key}", f"{a.title} ({a.group})") for a in holding(words)]
    return [hit for kind in KINDS for hit in [one for one in found if one.kind == kind][:MOST]]


def _statements_within(reader: Reader) -> list[int]:
    """Numbers of the statements that were called in the last day on the servers within reach."""
    now = reader.clock()
    ids = [server.id for server in servers_in(reader, FLEET)]
    with reader.store.read() as session:
        frame = segments.read(session, ids, "statement", now - DAY_US, now, ["statement"])
    return [] if frame.is_empty() else frame["statement"].unique().to_list()


def _wanted(ids: list[int] | None) -> Select[Statement]:
    return select(Statement) if ids is None else select(Statement).where(Statement.id.in_(ids))
