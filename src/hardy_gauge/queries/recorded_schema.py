"""The schema of a server as it was recorded last, and the definitions of its objects."""

from __future__ import annotations

from hardy_gauge.core.checks.statement import ColumnShape, TableShape
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server, Snapshot
from hardy_gauge.store.servers import find_server


def recorded_schema(store: Store, name: str) -> dict[str, TableShape]:
    """Tables by name in lower case; whether a column can be null is not recorded. NotFound where there is no such server, InvalidInput
    where its schema was not recorded.
    """
    with store.read() as session:
        number = find_server(session, name).id
    shapes = shapes_of(store, number)
    if shapes is None:
        raise InvalidInput(f"server: no schema of {name} was recorded", "server")
    return shapes


def shapes_of(store: Store, server_id: int) -> dict[str, TableShape] | None:
    """The same of a server by its number; None where no schema was recorded."""
    with store.read() as session:
        row = session.get(Snapshot, (server_id, "schema"))
    if row is None:
        return None
    return {
        table["name"].lower(): TableShape(
            {c["name"].lower(): ColumnShape(c["type"].lower(), None) for c in table["columns"]},
            tuple(tuple(column.lower() for column in index["columns"]) for index in table["indexes"]),
        )
        for table in row.body["tables"]
    }


def definitions_of(reader: Reader, server: Server) -> list[str] | None:
    """The commands that make the objects of a server's database, as its planner's facts were recorded last; None where they were not."""
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "planner"))
    return None if row is None else [str(one.get("sql", "")) for one in row.body["document"].get("definitions", [])]
