"""One server behind a database address, read through its pack's queries."""

from __future__ import annotations

import time
from collections.abc import Sequence
from functools import cached_property
from typing import Any

import polars as pl
from pydantic import ValidationError

from hardy_gauge.probes import protocol as p
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.sqlpack.connection import Line, Row, parse
from hardy_gauge.probes.sqlpack.engine_adapter import EngineAdapter, adapter_of
from hardy_gauge.probes.sqlpack.pack import FigureQuery, Pack, Query, pack_for
from hardy_gauge.probes.sqlpack.schema import SchemaReader
from hardy_gauge.probes.sqlpack.values import number, setting
from hardy_gauge.probes.sqlpack.values import plain as plain_values

OWN = "own."
MOST_OWN = 200
PAIR = {"name", "value"}
# columns of the sessions query that only one of its two kinds of row has
OF_HOLDERS = ("idle_since_us",)
OF_WORKERS = ("wait_event", "blockers", "began_us", "object")
# how far a call is, is asked of calls that take longer, in seconds
LONG_S = 5.0


class SqlPackProbe:
    """Reads over one connection, read-only. ``figures`` are queries of the user's own; one that fails is left out
    and said in ``readiness``.
    """

    def __init__(
        self, address: str, figures: Sequence[FigureQuery] = (), deadline_s: float = 5.0,
        credential: Credential | None = None,
    ) -> None:  # fmt: skip
        url = parse(address)
        pack = pack_for(url.drivername)
        if pack is None:
            raise p.ProbeError(f"there is no pack for {url.drivername}")
        self.pack: Pack = pack
        if url.drivername == pack.drivers[0] and len(pack.drivers) > 1:
            url = url.set(drivername=pack.drivers[1])
        self.url, self.figures = url, list(figures)
        self._line = Line(url, pack, deadline_s, credential)
        self._kept: dict[str, tuple[float, list[Row]]] = {}
        self._failed: dict[str, str] = {}

    def close(self) -> None:
        if "_adapter" in self.__dict__:
            self._adapter.close()
        self._line.close()

    @cached_property
    def version(self) -> int:
        found = int(self._line.rows(self.pack.version)[0]["version"])
        if found < self.pack.least_version:
            raise p.ProbeError(f"the server is older than version {self.pack.least_version_words}")
        return found

    @cached_property
    def abilities(self) -> list[p.Ability]:
        """As of the first look, or of the last ``identity``."""
        return list(dict.fromkeys(r.ability for r in self._reports() if r.reported))

    @cached_property
    def _adapter(self) -> EngineAdapter:
        return adapter_of(self.pack.adapter, self._line)

    @cached_property
    def _schema(self) -> SchemaReader:
        return SchemaReader(self.pack, self._ask, self._adapter)

    def _ask(self, query: Query, **parameters: Any) -> list[Row]:
        sql = query.text(self.version)
        if sql is None or (query.needs is not None and query.needs not in self.abilities):
            return []
        kept = self._kept.get(sql)
        if kept is not None and time.monotonic() - kept[0] < query.every_s:
            return kept[1]
        rows = self._line.rows(sql, **parameters)
        if query.every_s:
            self._kept[sql] = (time.monotonic(), rows)
        return rows

    def _read(self, model: type[p.Message], rows: list[Row]) -> list[Any]:
        try:
            return [model(**plain_values(row)) for row in rows]
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise p.ProbeError(
                f"the pack's query for {model.__name__} gives a wrong {where}: {first['msg']}"
            ) from error

    def identity(self) -> p.Identity:
        assert self.version
        row = self._line.rows(self.pack.identity)[0]
        self.__dict__.pop("abilities", None)
        return p.Identity(**row, engine=self.pack.engine, abilities=self.abilities)

    def _reports(self) -> list[p.Report]:
        """The first check of an ability decides about it; later ones are about parts of it."""
        reports: list[p.Report] = []
        without: set[str] = set()
        for check in self.pack.checks:
            row = self._line.rows(check.sql)[0]
            reported = bool(row["reported"]) and check.ability not in without
            if not reported and check.ability not in {r.ability for r in reports}:
                without.add(check.ability)
            why = "" if reported else row["why"] or f"{check.ability} are not reported at all"
            remedy = "" if reported else str(row.get("remedy") or check.remedy).strip()
            reports.append(p.Report(ability=check.ability, reported=reported, what=check.what, why=why, remedy=remedy))
        return reports

    def readiness(self) -> p.Readiness:
        reports = self._reports()
        for figure in self.figures:
            why = self._failed.get(figure.name, "")
            reports.append(
                p.Report(ability="counters", reported=not why, what=f"your figure {OWN}{figure.name}", why=why)
            )
        return p.Readiness(at_us=_now_us(), reports=reports)

    def host(self) -> p.Host:
        return p.Host()

    def counters(self) -> p.Counters:
        identity = self._line.rows(self.pack.identity)[0]
        values = self._figures(self.pack.counters)
        levels = self._figures(self.pack.levels)
        for figure in self.figures:
            (values if figure.kind == "counter" else levels).update(self._own(figure))
        return p.Counters(
            at_us=identity["clock_us"], started_at_us=identity["started_at_us"], values=values, levels=levels,
            connections=self._read(p.ConnectionGroup, self._ask(self.pack.connections)),
        )  # fmt: skip

    def _figures(self, queries: list[Query]) -> dict[str, float]:
        """Figures by name: columns of one row, or rows of name and value."""
        found: dict[str, float | None] = {}
        for query in queries:
            for row in self._ask(query):
                if row.keys() == PAIR:
                    found[row["name"]] = number(row["value"])
                else:
                    found |= {name: number(value) for name, value in row.items()}
        return {name: value for name, value in found.items() if value is not None}

    def figure_rows(self, figure: FigureQuery) -> list[tuple[str, float]]:
        """Labels, empty where there are none, and values of a user's own figure now; a ProbeError says what is wrong with it."""
        rows = self._adapter.own_rows(figure.sql, MOST_OWN)
        try:
            return [(str(row.get("label") or ""), float(row["value"])) for row in rows if row["value"] is not None]
        except (TypeError, ValueError) as error:
            raise p.ProbeError(f"its value is no number: {error}") from error

    def _own(self, figure: FigureQuery) -> dict[str, float]:
        try:
            name = f"{OWN}{figure.name}"
            found = {f"{name}.{label}" if label else name: value for label, value in self.figure_rows(figure)}
        except p.ProbeError as error:
            self._failed[figure.name] = str(error)
            return {}
        self._failed.pop(figure.name, None)
        return found

    def statements(self) -> p.StatementCounters:
        identity = self._line.rows(self.pack.identity)[0]
        rows = [_with_waits(plain_values(row)) for row in self._ask(self.pack.statements)]
        try:
            counters = [p.StatementCounter(**row) for row in rows]
        except ValidationError as error:
            raise p.ProbeError(f"the pack's statement counters are not the protocol: {error.errors()[0]}") from error
        return p.StatementCounters(
            at_us=identity["clock_us"], started_at_us=identity["started_at_us"], statements=counters
        )

    def sessions(self) -> p.Sessions:
        rows = self._ask(self.pack.sessions)
        working = [
            {k: v for k, v in row.items() if k not in OF_HOLDERS} for row in rows if row["idle_since_us"] is None
        ]
        idle = [
            {k: v for k, v in row.items() if k not in OF_WORKERS} for row in rows if row["idle_since_us"] is not None
        ]
        found = self._read(p.Session, [row | {"object": row["object"] or ""} for row in working])
        return p.Sessions(at_us=_now_us(), sessions=self._how_far(found), holders=self._read(p.Holder, idle))

    def _how_far(self, sessions: list[p.Session]) -> list[p.Session]:
        """The sessions with what the engine says of the progress of long calls."""
        since = _now_us() - LONG_S * 1e6
        long = [one.session for one in sessions if one.began_us is not None and one.began_us < since]
        if not long or self.pack.progress is None:
            return sessions
        known = {row["session"]: row for row in self._ask(self.pack.progress, sessions=long)}
        told = {number: {"stage": row["stage"], "done": row["done"]} for number, row in known.items()}
        return [one.model_copy(update=told[one.session]) if one.session in told else one for one in sessions]

    def executions(self, since_us: int, threshold_s: float, literals: bool = False) -> p.Executions:
        return self._adapter.executions(since_us, threshold_s, literals)

    def messages(self, since_us: int) -> p.LogMessages:
        return self._adapter.messages(since_us)

    def settings(self) -> p.Settings:
        return p.Settings(at_us=_now_us(), settings=[setting(row) for row in self._ask(self.pack.settings)])

    def schema(self) -> p.Schema:
        return p.Schema(
            at_us=_now_us(), database=self.url.database or "", dialect=self.pack.dialect, tables=self._schema.tables()
        )

    def objects(self) -> p.Objects:
        identity = self._line.rows(self.pack.identity)[0]
        row = self._ask(self.pack.counted_since)[0]
        tables, indexes = self._schema.counters()
        return p.Objects(
            at_us=identity["clock_us"], started_at_us=identity["started_at_us"], counted_since_us=row["counted_since_us"],
            schema_marker=self._schema.marker(),
            tables=tables, indexes=indexes, sequences=self._read(p.Sequence, self._ask(self.pack.sequences)),
        )  # fmt: skip

    def members(self) -> p.Members:
        """Neighbours as this server sees them, at its own address with their host and port in it."""
        rows = self._ask(self.pack.members)
        found = [
            p.Member(
                name=row["name"], role=row["role"], detail=row["detail"] or "",
                address=self._beside(row["host"], row["port"]) if row["host"] else None,
            )
            for row in rows
        ]  # fmt: skip
        return p.Members(at_us=_now_us(), members=found)

    def _beside(self, host: str, port: int | None) -> str:
        """Without account: that is the keyring's."""
        url = self.url.set(host=host, port=port or self.url.port, username=None, password=None)
        return url.render_as_string()

    def explain(self, request: p.ExplainRequest) -> p.Explained:
        return self._adapter.explain(request)

    def planner_facts(self, keep_values: bool) -> p.PlannerFacts:
        assert self.version
        return self._adapter.planner_facts(keep_values)

    def condition_totals(self, source: str, condition: str, bytes_: float) -> dict[str, float]:
        return self._adapter.condition_totals(source, condition, bytes_)

    def cached_pages(self) -> pl.DataFrame:
        if "cached_pages" not in self.abilities:
            raise p.Unsupported("the server does not tell what its cache holds")
        return self._adapter.cached_pages()

    def end_session(self, session: int, user: str) -> bool:
        if self.pack.end_session is None or "end_session" not in self.abilities:
            raise p.Unsupported("the account may not end the sessions of others")
        return any(row["ended"] for row in self._ask(self.pack.end_session, session=session, account=user))

    def plan(self, plan_key: str) -> p.Explained:
        raise p.Unsupported("the server does not keep plans by a key")


def _with_waits(row: Row) -> Row:
    waits = {name.removeprefix("wait."): row.pop(name) for name in list(row) if name.startswith("wait.")}
    return row | {"wait_s": {event: seconds for event, seconds in waits.items() if seconds}}


def _now_us() -> int:
    return time.time_ns() // 1000
