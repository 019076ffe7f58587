"""The practice fleet's HTTP face: the probe protocol for every server, under /servers/{name}."""

from __future__ import annotations

import io
import time
from collections.abc import Callable
from http import HTTPStatus
from typing import Annotated

import polars as pl
from fastapi import FastAPI, HTTPException, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException as StarletteHTTPException

from hardy_gauge.probes import protocol as p
from practice_fleet.fleet import Fleet
from practice_fleet.frames import execution_frame, holder_frame, metric_frame, sample_frame, statement_frame
from practice_fleet.live import LiveServer
from practice_fleet.operations.base import Operation
from practice_fleet.operations.host import EndSession, GrowVolume
from practice_fleet.operations.schema import BuildIndex, DropIndex, Pin
from practice_fleet.operations.settings import Restart, SetSetting
from practice_fleet.page_trace import MOST_ASKS, page_trace
from practice_fleet.plays import Plays
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import DAY_US


def clock_us() -> int:
    return time.time_ns() // 1000


def build(scenario: Scenario, anchor_us: int, now_us: Callable[[], int] = clock_us) -> FastAPI:
    """The application that answers for every server of a scenario."""
    app = FastAPI(title="Practice fleet", version=str(p.PROTOCOL_VERSION), docs_url=None, redoc_url=None)
    fleet = Fleet(scenario, anchor_us)
    servers = {name: LiveServer(history, now_us()) for name, history in fleet.histories.items()}
    plays = Plays()

    def find(name: str) -> LiveServer:
        if name not in servers:
            raise HTTPException(404, f"no server '{name}'; there are {', '.join(servers)}")
        found = servers[name]
        if found.server.is_down(now_us()):
            raise HTTPException(503, f"server '{name}' is down")
        return found

    def do(name: str, operation: Operation) -> p.Done:
        find(name).do(operation)
        said = operation.says(name)
        return p.Done(at_us=operation.at_us, detail=said[0].text if said else "done")

    @app.exception_handler(p.Refused)
    def refused(_: Request, error: p.Refused) -> JSONResponse:
        return problem(422, "Refused", str(error), error.field)

    @app.exception_handler(StarletteHTTPException)
    def unknown(_: Request, error: StarletteHTTPException) -> JSONResponse:
        return problem(error.status_code, HTTPStatus(error.status_code).phrase, str(error.detail))

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        return problem(422, "The request is not valid", f"{field}: {first['msg']}", field)

    @app.get("/servers")
    def list_servers() -> list[p.Identity]:
        return [server.identity(now_us()) for server in servers.values()]

    @app.get("/servers/{name}/identity")
    def identity(name: str) -> p.Identity:
        return find(name).identity(now_us())

    @app.get("/servers/{name}/host")
    def host(name: str) -> p.Host:
        return find(name).host(now_us())

    @app.get("/servers/{name}/counters")
    def counters(name: str) -> p.Counters:
        return find(name).counters(now_us())

    @app.get("/servers/{name}/statements")
    def statements(name: str) -> p.StatementCounters:
        return find(name).statements(now_us())

    @app.get("/servers/{name}/sessions")
    def sessions(name: str) -> p.Sessions:
        return find(name).sessions(now_us())

    @app.get("/servers/{name}/executions")
    def executions(name: str, since_us: int, threshold_s: Annotated[float, Query(gt=0)]) -> p.Executions:
        return find(name).executions(since_us, now_us(), threshold_s)

    @app.get("/servers/{name}/settings")
    def settings(name: str) -> p.Settings:
        return find(name).settings(now_us())

    @app.get("/servers/{name}/objects")
    def objects(name: str) -> p.Objects:
        live = find(name)
        if "objects" in live.make.unreported:
            raise HTTPException(501, f"server '{name}' does not report this")
        return live.objects(now_us())

    @app.get("/servers/{name}/schema")
    def schema(name: str) -> p.Schema:
        return find(name).schema(now_us())

    @app.post("/servers/{name}/explain")
    def explain(name: str, request: p.ExplainRequest) -> p.Explained:
        return find(name).explain(request, now_us())

    @app.get("/servers/{name}/plans/{plan_key}")
    def plan(name: str, plan_key: str) -> p.Explained:
        return find(name).plan(plan_key, now_us())

    @app.get("/servers/{name}/messages")
    def messages(name: str, since_us: int) -> p.LogMessages:
        return find(name).messages(since_us, now_us())

    @app.get("/servers/{name}/history/{kind}")
    def history(name: str, kind: p.HistoryKind, since_us: int, until_us: int, threshold_s: float = 0.1) -> Response:
        """Columns as in docs/probe-protocol.md, as Parquet; only what lies before now."""
        live = find(name)
        until = min(until_us, now_us())
        source = live.history
        if kind == "metric":
            frame = metric_frame(source, since_us, until)
        elif kind == "statement":
            frame = statement_frame(source, since_us, until)
        elif kind == "sample":
            start = anchor_us - int(scenario.sample_history_days * DAY_US)
            frame = sample_frame(source, max(since_us, start), until)
        elif kind == "holder":
            frame = holder_frame(source, since_us, until)
        else:
            frame = execution_frame(source, since_us, until, threshold_s)
        return parquet(live.make.table(kind, frame))

    @app.get("/servers/{name}/pages")
    def pages(name: str, asks: Annotated[int, Query(ge=1, le=MOST_ASKS)] = 200_000) -> Response:
        """Pages asked for one after the other, as Parquet."""
        return parquet(page_trace(find(name).history, now_us(), asks))

    @app.post("/servers/{name}/settings")
    def set_setting(name: str, change: p.SettingChange) -> p.Done:
        own, value = find(name).make.meant(change.name, change.value)
        return do(name, SetSetting(now_us(), name=own, value=value))

    @app.post("/servers/{name}/restart")
    def restart(name: str) -> p.Done:
        return do(name, Restart(now_us()))

    @app.post("/servers/{name}/indexes")
    def build_index(name: str, spec: p.IndexSpec) -> p.Done:
        return do(name, BuildIndex(now_us(), spec=spec))

    @app.post("/servers/{name}/indexes/{index}/drop")
    def drop_index(name: str, index: str) -> p.Done:
        return do(name, DropIndex(now_us(), name=index))

    @app.get("/servers/{name}/pins")
    def pins(name: str) -> p.Pins:
        return find(name).pins(now_us())

    @app.post("/servers/{name}/pins")
    def pin(name: str, wanted: p.PinRequest) -> p.Done:
        return do(name, Pin(now_us(), statement=wanted.statement, plan_key=wanted.plan_key))

    @app.post("/servers/{name}/sessions/{session}/end")
    def end_session(name: str, session: int) -> p.Done:
        return do(name, EndSession(now_us(), session=session))

    @app.post("/servers/{name}/volumes/{volume}/grow")
    def grow_volume(name: str, volume: str, wanted: p.VolumeGrowth) -> p.Done:
        return do(name, GrowVolume(now_us(), volume=volume, capacity=wanted.capacity_bytes))

    @app.post("/servers/{name}/plays")
    def play(name: str, request: p.PlayRequest) -> p.PlayState:
        live = find(name)
        request.settings = dict(live.make.meant(own, value) for own, value in request.settings.items())
        return plays.start(live.history, request, now_us(), live.make)

    @app.get("/plays/{play_name}")
    def play_state(play_name: str) -> p.PlayState:
        return plays.get(play_name).state

    @app.delete("/plays/{play_name}")
    def play_stop(play_name: str) -> p.PlayState:
        plays.get(play_name).stop.set()
        return plays.get(play_name).state

    @app.get("/plays/{play_name}/{part}")
    def play_part(play_name: str, part: str) -> Response:
        path = plays.get(play_name).folder / f"{part}.parquet"
        if part not in ("executions", "samples", "ticks") or not path.exists():
            raise HTTPException(404, "a finished play has executions, samples and ticks")
        if part == "samples":
            return parquet(plays.get(play_name).make.table("sample", pl.read_parquet(path)))
        return Response(path.read_bytes(), media_type="application/vnd.apache.parquet")

    return app


def problem(status: int, title: str, detail: str, field: str = "") -> JSONResponse:
    """A problem detail (RFC 9457)."""
    body = {"title": title, "status": status, "detail": detail, "field": field}
    return JSONResponse(body, status, media_type="application/problem+json")


def parquet(frame: pl.DataFrame) -> Response:
    buffer = io.BytesIO()
    frame.write_parquet(buffer, compression="zstd")
    return Response(buffer.getvalue(), media_type="application/vnd.apache.parquet")
