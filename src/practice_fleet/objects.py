"""The schema of a practice server, and what is counted of its tables and indexes: from its plans and how often they ran."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Iterable, Mapping

from hardy_gauge.probes import protocol as p
from practice_fleet.conditions import State
from practice_fleet.history import Block
from practice_fleet.physics.upkeep import USUAL_THRESHOLD
from practice_fleet.planner.catalogue import Index
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import PracticeServer
from practice_fleet.transaction_numbers import ages_of_tables
from practice_fleet.upkeep_times import kept_tables

MOST_NUMBER = 2**31 - 1
DATA_VOLUME = "data"
COLUMN, INDEX = "column.", "index "
# rows that are dead on average between two runs of upkeep count among a table's pages
USUAL_DEAD = 1 + USUAL_THRESHOLD / 2
Work = Mapping[str, Mapping[str, float]]


def schema(server: PracticeServer, state: State, now_us: int) -> p.Schema:
    """Tables and indexes as they are made."""
    tables = []
    for name, table in state.catalogue.tables.items():
        columns = [
            p.Column(name=c, type=s.type, width_bytes=s.width, distinct=s.distinct, null_share=s.null_share)
            for c, s in table.columns.items()
        ]
        indexes = [
            p.IndexFacts(
                name=i.name, table=name, columns=list(i.columns), unique=i.unique, bytes=_index_bytes(i),
                constraint="primary key" if i.unique and i.columns[0] == next(iter(table.columns)) else "", place=DATA_VOLUME,
            )
            for i in state.catalogue.on(name)
        ]  # fmt: skip
        tables.append(
            p.Table(
                name=name,
                rows=table.rows,
                bytes=int(table.pages * PAGE_BYTES),
                columns=columns,
                indexes=indexes,
                place=DATA_VOLUME,
                options={"upkeep_enabled": "off"} if name in state.now.unkept_tables else {},
            )
        )
    return p.Schema(at_us=now_us, database=server.cluster.database, tables=tables)


def objects(
    server: PracticeServer, state: State, now_us: int, started_us: int, work: Work, used: Mapping[str, float]
) -> p.Objects:
    """Counters since the start, from ``work`` as ``work_of_call`` adds it up; rows that are dead take room until upkeep is run.
    ``used`` are shares of sequences.
    """
    kept, ages = kept_tables(server, state, now_us), ages_of_tables(server, state, now_us)
    tables, indexes = [], []
    for name, table in state.catalogue.tables.items():
        done = work.get(name, {})
        over = list(state.catalogue.on(name))
        dead = state.now.dead_shares.get(name, 0.0)
        tables.append(
            p.TableCounters(
                name=name, rows=table.rows, dead_rows=table.rows * dead / (1 - dead), heap_bytes=int(table.pages * PAGE_BYTES),
                index_bytes=sum(map(_index_bytes, over)), needed_bytes=int(table.pages / table.bloat / (USUAL_DEAD if dead else 1) * PAGE_BYTES),
                scans=done.get("scans", 0.0), rows_by_scan=done.get("rows_by_scan", 0.0), lookups=done.get("lookups", 0.0),
                rows_by_lookup=done.get("rows_by_lookup", 0.0), inserts=done.get("insert", 0.0), updates=done.get("update", 0.0),
                deletes=done.get("delete", 0.0), changed_since=kept[name].changed_since,
                upkeep_us=kept[name].upkeep_us, statistics_us=kept[name].statistics_us, transaction_age=ages[name],
                column_updates={c: done[f"{COLUMN}{c}"] for c in table.columns if f"{COLUMN}{c}" in done},
            )
        )  # fmt: skip
        indexes += [
            p.IndexCounters(
                name=i.name, table=name, bytes=_index_bytes(i), lookups=work.get(f"{INDEX}{i.name}", {}).get("lookups", 0.0),
                rows=work.get(f"{INDEX}{i.name}", {}).get("rows", 0.0),
            )
            for i in over
        ]  # fmt: skip
    made = repr(
        [
            (name, t.columns.keys(), [i.name for i in state.catalogue.on(name)])
            for name, t in state.catalogue.tables.items()
        ]
    )
    return p.Objects(
        at_us=now_us, started_at_us=started_us, schema_marker=hashlib.sha256(made.encode()).hexdigest()[:32], tables=tables,
        indexes=indexes,
        sequences=[
            p.Sequence(name=name, value=max(1, int(share * MOST_NUMBER)), least=1, most=MOST_NUMBER, type="int")
            for name, share in used.items()
        ],
    )  # fmt: skip


def work_of_call(block: Block, key: str) -> dict[str, dict[str, float]]:
    """What one call of a statement counts, by table, and by index as "index NAME"."""
    state = block.state
    if key not in state.plans:
        return {}
    found: dict[str, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for node in state.plans[key].walk():
        if node.table is None:
            continue
        if node.operation == "scan":
            found[node.table]["scans"] += node.loops
            found[node.table]["rows_by_scan"] += node.examined
        elif node.index is not None:
            found[node.table]["lookups"] += node.loops
            found[node.table]["rows_by_lookup"] += node.examined
            found[f"{INDEX}{node.index}"]["lookups"] += node.loops
            found[f"{INDEX}{node.index}"]["rows"] += node.examined
    write = state.plans[key].write
    if write is not None and write.table is not None:
        mine = found[write.table]
        mine[write.operation] += write.rows_true
        if write.operation == "update":
            for column in _changed(state.statements[key], state.catalogue.tables[write.table].columns):
                mine[f"{COLUMN}{column}"] += write.rows_true
    return {name: dict(figures) for name, figures in found.items()}


def _changed(spec: StatementSpec, columns: Iterable[str]) -> set[str]:
    assigned = spec.sql.lower().split(" set ", 1)[-1].split(" where ")[0]
    return {c for c in columns if f"{c} =" in assigned}


def _index_bytes(index: Index) -> int:
    return int(index.pages * PAGE_BYTES)
