"""The indexes of all servers of a scope, and the foreign keys that need one."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from hardy_gauge.core.indexes.across import ForeignColumns, IndexesAcross, MemberIndex, across
from hardy_gauge.core.time.span import Span
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.host_sheet import cache_and_session_bytes
from hardy_gauge.queries.objects import TableOut, objects_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recorded_schema import definitions_of
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Server

REFERENCE = re.compile(r"ALTER TABLE (?:ONLY )?(\S+) ADD CONSTRAINT .*? FOREIGN KEY \(([^)]*)\) REFERENCES ([^\s(]+)")


def indexes_across(reader: Reader, scope: str, focus: Span) -> IndexesAcross:
    """NotFound where the scope has no server."""
    servers = servers_in(reader, scope)
    if not servers:
        raise NotFound("no server is recorded yet", "scope", "Nothing to list")
    indexes, foreign, without = list[MemberIndex](), list[ForeignColumns](), list[str]()
    for server in servers:
        tables = objects_of(reader, server, focus).tables
        indexes += _of(reader, server, tables)
        references = _references(reader, server)
        if references is None:
            without.append(server.name)
        names = {table.name for table in tables}
        foreign += [one for one in references or [] if one.table in names]
    return across(indexes, foreign, focus.until_us, without)


def _of(reader: Reader, server: Server, tables: Sequence[TableOut]) -> Iterator[MemberIndex]:
    cache, _ = cache_and_session_bytes(reader, server)
    for table in tables:
        written = [table.inserts_per_s, table.updates_per_s, table.deletes_per_s]
        writes = None if None in written else sum(one or 0.0 for one in written)
        for one in table.indexes:
            yield MemberIndex(
                server.name, server.cluster.name, table.name, one.name, tuple(one.columns), one.unique or bool(one.constraint),
                bool(one.predicate), one.valid, one.bytes, one.needed_bytes, one.lookups_counted, one.counted_since_us, writes, cache,
            )  # fmt: skip


def _references(reader: Reader, server: Server) -> list[ForeignColumns] | None:
    """As the server's own definitions tell them; None where those were not recorded."""
    definitions = definitions_of(reader, server)
    if definitions is None:
        return None
    found = []
    for sql in definitions:
        match = REFERENCE.match(sql)
        if match is not None:
            names = tuple(name.strip().strip('"') for name in match[2].split(","))
            found.append(ForeignColumns(server.name, server.cluster.name, _bare(match[1]), names, _bare(match[3])))
    return found


def _bare(path: str) -> str:
    """As tables are called elsewhere: without the schema that is searched first."""
    return path.replace('"', "").removeprefix("public.")
