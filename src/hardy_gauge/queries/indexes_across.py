"""The indexes of all servers of a scope, and the foreign keys that need one."""

from __future__ import annotations

import re
from collections.abc import Iterator

from hardy_gauge.core.indexes.across import ForeignColumns, IndexesAcross, MemberIndex, across
from hardy_gauge.core.time.span import Span
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.host_sheet import cache_and_session_bytes
from hardy_gauge.queries.objects import objects_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Server, Snapshot

REFERENCE = re.compile(r"ALTER TABLE ONLY (\S+) ADD CONSTRAINT .*? FOREIGN KEY \(([^)]*)\) REFERENCES ([^\s(]+)|ALTER TABLE (\S+) ADD CONSTRAINT .*? FOREIGN KEY \(([^)]*)\) REFERENCES ([^\s(]+)")  # fmt: skip


def indexes_across(reader: Reader, scope: str, focus: Span) -> IndexesAcross:
    """NotFound where the scope has no server."""
    servers = servers_in(reader, scope)
    if not servers:
        raise NotFound("no server is recorded yet", "scope", "Nothing to list")
    indexes, foreign, silent = list[MemberIndex](), list[ForeignColumns](), list[str]()
    for server in servers:
        mine = list(_of(reader, server, focus))
        indexes += mine
        foreign += _references(reader, server)
        if not mine or all(one.lookups is None for one in mine):
            silent.append(server.name)
    return across(indexes, foreign, focus.until_us, silent)


def _of(reader: Reader, server: Server, focus: Span) -> Iterator[MemberIndex]:
    cache, _ = cache_and_session_bytes(reader, server)
    for table in objects_of(reader, server, focus).tables:
        written = [table.inserts_per_s, table.updates_per_s, table.deletes_per_s]
        writes = None if None in written else sum(one or 0.0 for one in written)
        for one in table.indexes:
            yield MemberIndex(
                server.name, server.cluster.name, table.name, one.name, tuple(one.columns), one.unique or bool(one.constraint),
                bool(one.predicate), one.valid, one.bytes, one.needed_bytes, one.lookups_counted, one.counted_since_us, writes, cache,
            )  # fmt: skip


def _references(reader: Reader, server: Server) -> list[ForeignColumns]:
    """As the server's own definitions tell them; none where those were not recorded."""
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "planner"))
    if row is None:
        return []
    found = []
    for one in row.body["document"].get("definitions", []):
        match = REFERENCE.match(str(one.get("sql", "")))
        if match is not None:
            table, columns, parent = (match[1], match[2], match[3]) if match[1] else (match[4], match[5], match[6])
            names = tuple(name.strip().strip('"') for name in columns.split(","))
            found.append(ForeignColumns(server.name, server.cluster.name, _bare(table), names, _bare(parent)))
    return found


def _bare(path: str) -> str:
    """As tables are called elsewhere: without the schema that is searched first."""
    return path.replace('"', "").removeprefix("public.")
