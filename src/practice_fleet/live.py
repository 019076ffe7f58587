"""What a practice server answers to the probe protocol at a moment."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import polars as pl

from hardy_gauge.probes import protocol as p
from practice_fleet import settings as setting_rules
from practice_fleet.clock import EVENTS
from practice_fleet.demand import bypasses, step_visits
from practice_fleet.history import Block, History, metrics, used_bytes
from practice_fleet.plan import Node
from practice_fleet.planner import plan
from practice_fleet.scenario import PAGE_BYTES, StatementSpec
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer, State

ENGINE = "practice"
ABILITIES: list[p.Ability] = [
    "counters", "statements", "sessions", "executions", "settings", "schema", "explain", "plans",
    "messages", "storage", "history", "play",
]  # fmt: skip


class LiveServer:
    """Adds up the minutes of one server's history into counters that only grow."""

    def __init__(self, server: PracticeServer, started_us: int) -> None:
        self.server, self.history = server, History(server)
        self._base_us = started_us // HOUR_US * HOUR_US
        self._minute = self._base_us
        self._values: dict[str, float] = {}
        self._statements: dict[str, dict[str, float]] = {}

    def identity(self, now_us: int) -> p.Identity:
        server = self.server
        return p.Identity(
            server=server.spec.name, cluster=server.cluster.name, role=server.spec.role, engine=ENGINE,
            engine_version=server.scenario.engine_version, started_at_us=self._base_us, clock_us=now_us,
            abilities=ABILITIES, history_since_us=server.start_us,
        )  # fmt: skip

    def host(self, now_us: int) -> p.Host:
        host = self.server.cluster.host
        volumes = []
        for purpose, volume in (("data", host.data_volume), ("log", host.log_volume)):
            used = used_bytes(self.server, now_us) if purpose == "data" else volume.used
            volumes.append(
                p.Volume(
                    name=purpose, purpose=purpose, capacity_bytes=volume.capacity, used_bytes=used,
                    operations_per_s_limit=volume.channels / volume.latency_s,
                    bytes_per_s_limit=volume.channels * volume.stream_bytes_per_s,
                )
            )  # fmt: skip
        return p.Host(cores=host.cores, memory_bytes=host.memory, volumes=volumes)

    # counters -------------------------------------------------------------------------------------

    def _add(
        self, values: dict[str, float], statements: dict[str, dict[str, float]], minute: int, share: float
    ) -> None:
        for block in self.history.blocks(minute, minute + MINUTE_US):
            for name, array in metrics(block).items():
                values[name] = values.get(name, 0.0) + float(array[0]) * share
            for i, key in enumerate(block.keys):
                mine = statements.setdefault(key, {})
                calls = float(block.calls[i, 0]) * share
                visit = block.state.visits[key]
                figures = {"calls": calls, "time_s": float(block.seconds[:, i, 0].sum()) * share}
                for name in ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes"):
                    figures[name] = calls * float(getattr(visit, name))
                figures |= {f"wait.{e}": float(block.seconds[n, i, 0]) * share for n, e in enumerate(EVENTS)}
                for name, value in figures.items():
                    mine[name] = mine.get(name, 0.0) + value

    def _totals(self, now_us: int) -> tuple[dict[str, float], dict[str, dict[str, float]]]:
        while self._minute + MINUTE_US <= now_us:
            self._add(self._values, self._statements, self._minute, 1.0)
            self._minute += MINUTE_US
        values, statements = dict(self._values), {k: dict(v) for k, v in self._statements.items()}
        self._add(values, statements, self._minute, (now_us - self._minute) / MINUTE_US)
        return values, statements

    def counters(self, now_us: int) -> p.Counters:
        values, _ = self._totals(now_us)
        return p.Counters(at_us=now_us, started_at_us=self._base_us, values=values)

    def statements(self, now_us: int) -> p.StatementCounters:
        _, statements = self._totals(now_us)
        state, database = self.server.state(now_us), self.server.cluster.database
        rows = []
        for key, figures in statements.items():
            spec = self.server.statements[key]
            plain = {k: v for k, v in figures.items() if not k.startswith("wait.")}
            waits = {k.removeprefix("wait."): v for k, v in figures.items() if k.startswith("wait.") and v > 0}
            rows.append(
                p.StatementCounter(
                    key=key, text=spec.sql, database=database, user=spec.user, service=spec.service,
                    plan_key=state.plans[key].key(), wait_s=waits, **plain,
                )
            )  # fmt: skip
        return p.StatementCounters(at_us=now_us, started_at_us=self._base_us, statements=rows)

    def sessions(self, now_us: int) -> p.Sessions:
        second = now_us // 1_000_000 * 1_000_000
        frame = self.history.sample_frame(second // MINUTE_US * MINUTE_US, second // MINUTE_US * MINUTE_US + MINUTE_US)
        found = frame.filter(pl.col("at_us") == second) if len(frame) else frame
        sessions = []
        for row in found.iter_rows(named=True):
            spec = self.server.statements[row["statement_key"]]
            sessions.append(
                p.Session(
                    session=row["session"], user=spec.user, service=spec.service,
                    database=self.server.cluster.database, statement_key=row["statement_key"],
                    wait_event=row["wait_event"],
                )
            )  # fmt: skip
        return p.Sessions(at_us=now_us, sessions=sessions)

    def executions(self, since_us: int, now_us: int, threshold_s: float) -> p.Executions:
        frame = self.history.execution_frame(max(since_us, now_us - HOUR_US), now_us, threshold_s)
        rows = []
        for row in frame.iter_rows(named=True):
            spec = self.server.statements[row["statement_key"]]
            who = {"user": spec.user, "service": spec.service, "database": self.server.cluster.database}
            rows.append(p.ExecutionRecord(**row, **who))
        return p.Executions(until_us=now_us, executions=rows)

    # settings, schema, plans ----------------------------------------------------------------------

    def settings(self, now_us: int) -> p.Settings:
        values = self.server.settings
        rows = [s.model_copy(update={"value": values[name]}) for name, s in setting_rules.CATALOGUE.items()]
        return p.Settings(at_us=now_us, settings=rows)

    def schema(self, now_us: int) -> p.Schema:
        state = self.server.state(now_us)
        rates = dict(
            zip(
                self.server.statements,
                self.server.offered(now_us // MINUTE_US * MINUTE_US, 1)[:, 0],
                strict=True,
            )
        )
        tables = []
        for name, table in state.catalogue.tables.items():
            inserts, deletes = 0.0, 0.0
            updates: dict[str, float] = {}
            for key, node in state.plans.items():
                if node.table == name and node.operation == "insert":
                    inserts += float(rates[key])
                if node.table == name and node.operation == "delete":
                    deletes += float(rates[key]) * node.rows_true
                if node.table == name and node.operation == "update":
                    for column in _changed(self.server.statements[key], table.columns):
                        updates[column] = updates.get(column, 0.0) + float(rates[key]) * node.rows_true
            tables.append(
                p.Table(
                    name=name, rows=table.rows, bytes=int(table.pages * PAGE_BYTES),
                    columns=[
                        p.Column(name=c, type=s.type, width_bytes=s.width, distinct=s.distinct, null_share=s.null_share)
                        for c, s in table.columns.items()
                    ],
                    indexes=[
                        p.IndexFacts(
                            name=i.name, table=name, columns=list(i.columns), unique=i.unique,
                            bytes=int(i.pages * PAGE_BYTES), lookups=None,
                        )
                        for i in state.catalogue.on(name)
                    ],
                    inserts_per_s=inserts, deletes_per_s=deletes, column_updates_per_s=updates,
                )
            )  # fmt: skip
        return p.Schema(at_us=now_us, database=self.server.cluster.database, tables=tables)

    def explain(self, request: p.ExplainRequest, now_us: int) -> p.Explained:
        """The plan with the times its steps take at the present load; what-if indexes are only imagined."""
        server = self.server
        state = server.trial_state(
            now_us,
            [p.PlayStatement(text=request.text, weight=1.0)],
            {},
            request.add_indexes,
            request.drop_indexes,
        )
        spec = state.statements["0"]
        node = plan(state.catalogue, spec, state.costing)
        hits = server.state(now_us).hits
        block = self.history.blocks(now_us // MINUTE_US * MINUTE_US, now_us // MINUTE_US * MINUTE_US + MINUTE_US)[0]
        guessed = hits | {n: max(hits[i.table], 0.5) for n, i in state.catalogue.indexes.items() if n not in hits}
        return _explained(node, _Stepper(state, spec, guessed, _stretch(block)))

    def plan(self, plan_key: str, now_us: int) -> p.Explained:
        """A plan that was in use at some time, with the times its steps would take at the present load."""
        block = self.history.blocks(now_us // MINUTE_US * MINUTE_US, now_us // MINUTE_US * MINUTE_US + MINUTE_US)[0]
        for state in (self.server.state(now_us), self.server.state(self.server.start_us)):
            for key, node in state.plans.items():
                if node.key() == plan_key:
                    return _explained(node, _Stepper(state, state.statements[key], state.hits, _stretch(block)))
        raise p.Refused(f"no plan '{plan_key}' is remembered", "plan_key")

    def messages(self, since_us: int, now_us: int) -> p.LogMessages:
        found = []
        for trouble in self.server.scenario.troubles:
            at = int(self.server.anchor_us - trouble.start_minutes_ago * MINUTE_US)
            if self.server.spec.name in trouble.servers and since_us <= at < now_us:
                text = f"index {trouble.index} dropped by desk_deploy"
                found.append(p.LogMessage(at_us=at, severity="info", text=text, change="schema", object=trouble.index))
        return p.LogMessages(until_us=now_us, messages=found)


def _explained(node: Node, stepper: _Stepper) -> p.Explained:
    root = stepper.of(node)
    return p.Explained(plan_key=node.key(), cost=node.total_cost(), time_s=root.time_s, root=root)


class _Stepper:
    """Turns planner nodes into protocol steps; time of a step includes the steps below."""

    def __init__(self, state: State, spec: StatementSpec, hits: dict[str, float], stretch: dict[str, float]) -> None:
        self.state, self.spec, self.hits, self.stretch = state, spec, hits, stretch

    def of(self, node: Node) -> p.Step:
        host = self.state.cluster.host
        visit = step_visits(self.state.catalogue, node, self.spec, self.hits, host, self.state.settings)
        own = visit.processor_s * self.stretch["processor"]
        own += visit.random_reads * host.data_volume.latency_s * self.stretch["data volume"]
        own += (visit.chunk_reads + visit.temp_reads) * visit.chunk_s * self.stretch["data volume"]
        own += visit.log_s
        below = [self.of(child) for child in node.below]
        pages = float(self.state.settings["buffer_cache_bytes"]) / PAGE_BYTES
        past = node.operation == "scan" and bypasses(self.state.catalogue, str(node.table), pages)
        return p.Step(
            operation=node.operation, words=node.words + (", past the cache" if past else ""), object=node.table,
            index=node.index, predicate=node.predicate, rows_expected=node.rows_expected, rows_seen=node.rows_true,
            rows_examined=node.examined, loops=node.loops, cost=node.total_cost(),
            time_s=own + sum(step.time_s or 0 for step in below),
            pages_requested=visit.pages_requested, pages_read=visit.pages_read, steps=below,
        )  # fmt: skip


def _stretch(block: Block) -> dict[str, float]:
    """Time in queue and service ÷ service alone, by station, in a minute."""
    rate = block.model.rate[:, 0]
    total = block.model.seconds[:, :, 0] @ rate
    data = float(np.sum(rate * (block.per_call("random_reads")[:, 0] * block.state.cluster.host.data_volume.latency_s
                                + block.per_call("chunk_reads")[:, 0] * block.per_call("chunk_s")[:, 0])))  # fmt: skip
    return {
        "processor": 1 + float(total[1] / total[0]) if total[0] else 1.0,
        "data volume": max(1.0, float(total[2]) / data) if data > 0 else 1.0,
    }


def _changed(spec: StatementSpec, columns: Iterable[str]) -> set[str]:
    assigned = spec.sql.lower().split(" set ", 1)[-1].split(" where ")[0]
    return {c for c in columns if f"{c} =" in assigned}
