"""What a practice server answers to the probe protocol at a moment."""

from __future__ import annotations

import numpy as np
import polars as pl

from hardy_gauge.probes import protocol as p
from practice_fleet import settings as setting_rules
from practice_fleet.actor_frames import IDLE_AFTER_US, idle_sessions, working
from practice_fleet.actor_frames import figures as counted_as_statement
from practice_fleet.explain import explained, plan_by_key, what_if
from practice_fleet.figures import PER_CALL, levels_of, metrics
from practice_fleet.frames import execution_frame, sample_frame
from practice_fleet.history import History
from practice_fleet.makes import MAKES
from practice_fleet.messages import happened
from practice_fleet.objects import objects, schema, work_of_call
from practice_fleet.operations.base import Operation
from practice_fleet.operations.settings import Restart
from practice_fleet.physics.wait_events import EVENTS
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import HOUR_US, MINUTE_US
from practice_fleet.spread_of_times import squares_s2

ABILITIES: list[p.Ability] = [
    "counters", "statements", "sessions", "executions", "settings", "schema", "explain", "plans",
    "messages", "storage", "history", "play", "change", "call_begin", "objects", "page_trace", "end_session",
    "pins",
]  # fmt: skip
SEQUENCE = "sequence_used."
MOST_MESSAGES = 50_000
Figures = dict[str, float]


class LiveServer:
    """Adds up the minutes of one server's history into counters that only grow until it is restarted."""

    def __init__(self, history: History, started_us: int) -> None:
        self.server, self.history = history.server, history
        self.make = MAKES[history.server.cluster.make]
        self._base_us = started_us // HOUR_US * HOUR_US
        self._start_counting(self._base_us)
        self._sampled: tuple[int, int, pl.DataFrame] = (-1, -1, pl.DataFrame())

    def _start_counting(self, at_us: int) -> None:
        self._minute = self._since = at_us
        self._values: Figures = {}
        self._statements: dict[str, Figures] = {}
        self._work: dict[str, Figures] = {}

    def identity(self, now_us: int) -> p.Identity:
        server, now = self.server, self.server.state(now_us).now
        return p.Identity(
            server=server.spec.name, cluster=server.cluster.name, role=server.spec.role, engine=self.make.engine,
            engine_version=now.version or server.scenario.engine_version, started_at_us=self.started_us(now_us),
            clock_us=self.clock_us(now_us),
            abilities=[one for one in ABILITIES if one not in self.make.unreported], history_since_us=server.start_us,
        )  # fmt: skip

    def clock_us(self, now_us: int) -> int:
        """What the server's own clock says, which may be off."""
        return now_us + int(self.server.state(now_us).now.clock_off_s * 1e6)

    def started_us(self, now_us: int) -> int:
        """When the server last started: at the fleet's start, at its last restart, or when it came back."""
        server = self.server
        restarts = [i.at_us for i in server.influences if isinstance(i, Restart) and i.at_us <= now_us]
        changes = server.cuts(self._base_us, now_us)
        back = [at for at in changes if server.is_down(at - 1) and not server.is_down(at)]
        return max([self._base_us, *restarts, *back])

    def host(self, now_us: int) -> p.Host:
        state = self.server.state(now_us)
        host = state.hardware
        levels = levels_of(self.history, state, now_us)
        volumes = []
        pairs = [("data", host.data_volume)] + ([("log", host.log_volume)] if host.log_volume else [])
        for purpose, volume in pairs:
            volumes.append(
                p.Volume(
                    name=purpose, purpose=purpose if host.log_volume else "both", capacity_bytes=volume.capacity,
                    used_bytes=int(levels[f"volume_used.{purpose}"][0]),
                    operations_per_s_limit=volume.operations_per_s_limit, bytes_per_s_limit=volume.bytes_per_s_limit,
                )
            )  # fmt: skip
        facts = {
            "swap_tendency": f"{100 * host.swap_tendency:.0f}", "large_pages": "always" if host.huge_pages else "never",
            "power_saving": "performance" if host.core_speed >= self.server.cluster.host.core_speed else "powersave",
        }  # fmt: skip
        return p.Host(cores=host.cores, memory_bytes=host.memory, volumes=volumes, settings=facts)

    # counters -------------------------------------------------------------------------------------

    def _add(
        self, values: Figures, statements: dict[str, Figures], work: dict[str, Figures], minute: int, share: float
    ) -> None:
        for block in self.history.blocks(minute, minute + MINUTE_US):
            for name, array in metrics(block).items():
                values[name] = values.get(name, 0.0) + float(array[0]) * share
            squares = squares_s2(block)
            for i, key in enumerate(block.keys):
                mine = statements.setdefault(key, {})
                calls = float(block.calls[i, 0]) * share
                visit = block.state.visits[key]
                figures = {"calls": calls, "time_s": float(block.seconds[:, i, 0].sum()) * share}
                figures["errors"] = float(block.errors[i, 0]) * share
                figures["squares_s2"] = float(squares[i, 0]) * share
                for name in PER_CALL:
                    figures[name] = calls * float(getattr(visit, name))
                used = block.state.statements[key].used_share
                if used is not None:
                    figures |= {"bytes_sent": calls * visit.sent_bytes, "bytes_used": calls * visit.sent_bytes * used}
                figures |= {f"wait.{e}": float(block.seconds[n, i, 0]) * share for n, e in enumerate(EVENTS)}
                for name, value in figures.items():
                    mine[name] = mine.get(name, 0.0) + value
                for table, each in work_of_call(block, key).items():
                    worked = work.setdefault(table, {})
                    for name, value in each.items():
                        worked[name] = worked.get(name, 0.0) + calls * value

            for table, per_s in block.state.now.inserted.items():
                worked = work.setdefault(table, {})
                worked["insert"] = worked.get("insert", 0.0) + per_s * 60 * share
            for actor in working(block):
                mine = statements.setdefault(actor.key, dict.fromkeys(("calls", "time_s", "errors", *PER_CALL), 0.0))
                for name, counted in counted_as_statement(block, actor).items():
                    mine[name] = mine.get(name, 0.0) + float(counted[0]) * share

    def _totals(self, now_us: int) -> tuple[Figures, dict[str, Figures], dict[str, Figures]]:
        started = self.started_us(now_us)
        if started > self._since:
            self._start_counting(started)
        while self._minute // MINUTE_US * MINUTE_US + MINUTE_US <= now_us:
            first = self._minute // MINUTE_US * MINUTE_US
            self._add(self._values, self._statements, self._work, first, (first + MINUTE_US - self._minute) / MINUTE_US)
            self._minute = first + MINUTE_US
        values = dict(self._values)
        statements, work = ({k: dict(v) for k, v in d.items()} for d in (self._statements, self._work))
        first = self._minute // MINUTE_US * MINUTE_US
        self._add(values, statements, work, first, (now_us - self._minute) / MINUTE_US)
        return values, statements, work

    def counters(self, now_us: int) -> p.Counters:
        values, _, _ = self._totals(now_us)
        levels = levels_of(self.history, self.server.state(now_us), now_us)
        return p.Counters(
            at_us=self.clock_us(now_us), started_at_us=self.started_us(now_us), values=self.make.values(values),
            levels=self.make.values({name: float(value[0]) for name, value in levels.items()}),
        )  # fmt: skip

    def _spec(self, key: str) -> StatementSpec:
        """A statement that runs now or ran once."""
        return self.server.every_statement[key]

    def statements(self, now_us: int) -> p.StatementCounters:
        """Every statement that was ever run; one that has not been since the start has counted nothing."""
        _, counted, _ = self._totals(now_us)
        state, database = self.server.state(now_us), self.server.cluster.database
        none = dict.fromkeys(("calls", "time_s", *PER_CALL), 0.0)
        rows = []
        for key, spec in self.server.every_statement.items():
            figures = counted.get(key, none)
            plain = self.make.values({k: v for k, v in figures.items() if not k.startswith("wait.")})
            waits = {
                self.make.event(k.removeprefix("wait.")): v
                for k, v in figures.items()
                if k.startswith("wait.") and v > 0
            }
            rows.append(
                p.StatementCounter(
                    key=key, text=spec.sql, database=database, user=spec.user, service=spec.service,
                    plan_key=state.plan_keys.get(key), wait_s=waits, **plain,
                )
            )  # fmt: skip
        return p.StatementCounters(at_us=self.clock_us(now_us), started_at_us=self.started_us(now_us), statements=rows)

    def sessions(self, now_us: int) -> p.Sessions:
        second = now_us // 1_000_000 * 1_000_000
        minute, known = now_us // MINUTE_US * MINUTE_US, len(self.server.influences)
        if self._sampled[:2] != (minute, known):
            self._sampled = (minute, known, sample_frame(self.history, minute, minute + MINUTE_US))
        frame = self._sampled[2]
        found = frame.filter(pl.col("at_us") == second) if len(frame) else frame
        sessions = []
        began = {actor.key: actor.began_us(second) for actor in self.history.at(now_us).state.actors}
        for row in found.iter_rows(named=True):
            spec = self._spec(row["statement_key"])
            sessions.append(
                p.Session(
                    session=row["session"], user=spec.user, service=spec.service,
                    database=self.server.cluster.database, statement_key=row["statement_key"],
                    wait_event=self.make.event(row["wait_event"]), blocked_by=row["blocked_by"],
                    began_us=began.get(row["statement_key"]), transaction_began_us=began.get(row["statement_key"]),
                )
            )  # fmt: skip
        return p.Sessions(at_us=self.clock_us(now_us), sessions=sessions, holders=self._holders(second))

    def _holders(self, at_us: int) -> list[p.Holder]:
        """Sessions that do nothing in a transaction: the last statement of each is the one whose rows it keeps."""
        found = []
        for key, session, open_ in idle_sessions(self.history.at(at_us).state):
            age_s = float(open_.age_s(at_us / 1e6))
            if age_s < 0:
                continue
            spec, began = self._spec(key), at_us - int(age_s * 1e6)
            found.append(
                p.Holder(
                    session=session, user=spec.user, service=spec.service,
                    database=self.server.cluster.database, client="local", statement_key=key, transaction_began_us=began,
                    idle_since_us=min(at_us, began + IDLE_AFTER_US),
                )
            )  # fmt: skip
        return found

    def executions(self, since_us: int, now_us: int, threshold_s: float) -> p.Executions:
        frame = execution_frame(self.history, max(since_us, now_us - HOUR_US), now_us, threshold_s)
        frame, rows = self.make.table("execution", frame), []
        for row in frame.iter_rows(named=True):
            spec = self._spec(row["statement_key"])
            who = {"user": spec.user, "service": spec.service, "database": self.server.cluster.database}
            rows.append(p.ExecutionRecord(**row, **who))
        return p.Executions(until_us=now_us, executions=rows)

    # settings, schema, plans, messages --------------------------------------------------------------

    def settings(self, now_us: int) -> p.Settings:
        values = self.server.state(now_us).settings
        known = setting_rules.CATALOGUE.items()
        rows = [self.make.says(s.model_copy(update={"value": values[name]})) for name, s in known]
        return p.Settings(at_us=now_us, settings=rows)

    def schema(self, now_us: int) -> p.Schema:
        return schema(self.server, self.server.state(now_us), now_us)

    def objects(self, now_us: int) -> p.Objects:
        _, _, work = self._totals(now_us)
        levels = self.server.levels(np.array([now_us]))
        used = {n.removeprefix(SEQUENCE): float(v[0]) for n, v in levels.items() if n.startswith(SEQUENCE)}
        return objects(self.server, self.server.state(now_us), now_us, self.started_us(now_us), work, used)

    def explain(self, request: p.ExplainRequest, now_us: int) -> p.Explained:
        """The plan with the times its steps take at the present load; what-if indexes are only imagined."""
        return what_if(self.server, self.history.at(now_us), request, now_us)

    def plan(self, plan_key: str, now_us: int) -> p.Explained:
        """A plan that was in use at some time, with the times its steps would take at the present load."""
        found = plan_by_key(self.server, plan_key, now_us)
        if found is None:
            raise p.Refused(f"no plan '{plan_key}' is remembered", "plan_key")
        return explained(*found, self.history.at(now_us))

    def pins(self, now_us: int) -> p.Pins:
        """Plans that were told to be kept, and no trouble's."""
        state = self.server.state(now_us)
        found = [
            p.Pin(statement=key, text=state.statements[key].sql, plan_key=state.now.pinned[key], since_us=since_us)
            for key, since_us in state.now.pins.items()
            if key in state.statements and key in state.now.pinned
        ]
        return p.Pins(at_us=now_us, pins=found)

    def messages(self, since_us: int, now_us: int) -> p.LogMessages:
        if self.server.scenario.messages == "hidden":
            return p.LogMessages(until_us=now_us, messages=[])
        found = []
        for influence in self.server.influences:
            start = influence.start_us(self.server.anchor_us)
            end = influence.end_us(self.server.anchor_us)
            for said in influence.says(self.server.spec.name):
                at = start + int(said.after_s * 1e6)
                if since_us <= at < now_us and (end is None or at <= end):
                    found.append(
                        p.LogMessage(
                            at_us=at, severity=said.severity, text=said.text, change=said.change, object=said.object
                        )
                    )
        found += happened(self.history, since_us, now_us)
        off_us = int(self.server.state(now_us).now.clock_off_s * 1e6)
        found = [one.model_copy(update={"at_us": one.at_us + off_us}) for one in found] if off_us else found
        found.sort(key=lambda message: message.at_us)
        if len(found) > MOST_MESSAGES:  # the next ask begins where this answer ends
            now_us, found = found[MOST_MESSAGES].at_us, found[:MOST_MESSAGES]
        return p.LogMessages(until_us=now_us, messages=found)

    # changes --------------------------------------------------------------------------------------

    def do(self, operation: Operation) -> None:
        """Begin something that changes the server, or all of its cluster, from now on; Refused when it cannot be done."""
        operation.prepare(self.server)
        for server in operation.reaches(self.server):
            server.influences.append(operation)
