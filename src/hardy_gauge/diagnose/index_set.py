"""The set of indexes for what a server did, by its twin."""

from __future__ import annotations

from hardy_gauge.core.indexes.sheet import IndexSet
from hardy_gauge.diagnose.questions import planner_facts
from hardy_gauge.errors import Unsupported
from hardy_gauge.lab.index_advice import advise_indexes
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.queries.index_workload import index_workload
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named


def index_set_of(reader: Reader, server: str, bytes_: float, entries_per_s: float | None) -> IndexSet:
    """NotFound; Unsupported where what the server's planner knows was not recorded, or no twin can be made here."""
    known = planner_facts(reader.store, server_named(reader, server))
    if known is None:
        raise Unsupported(
            f"what the planner of {server} knows was not recorded; it is read of PostgreSQL servers that are reached by their own protocol", "server"
        )  # fmt: skip
    work = index_workload(reader, server)
    with twins.using(*known) as folder:
        return advise_indexes(folder, work, bytes_, entries_per_s)
