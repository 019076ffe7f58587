"""The probe protocol over HTTP for servers that the agent reaches, with a token, and OpenMetrics of their figures."""

from __future__ import annotations

import secrets
import time
from collections.abc import Awaitable, Callable, Mapping, Sequence

from fastapi import FastAPI, HTTPException, Request, Response
from fastapi.responses import JSONResponse

from hardy_gauge.agent import host, metrics
from hardy_gauge.probes import protocol as p

NOT_PASSED_ON = ("own_figures", "cached_pages")  # what the protocol has no request for


class Beside:
    """One server's probe with what the agent adds: facts and figures of the host."""

    def __init__(self, probe: p.Probe, folders: Sequence[host.Folder]) -> None:
        self.probe, self.folders = probe, folders

    def identity(self) -> p.Identity:
        found = self.probe.identity()
        passed_on = [one for one in found.abilities if one not in NOT_PASSED_ON]
        return found.model_copy(update={"abilities": list(dict.fromkeys([*passed_on, "counters", "host"]))})

    def host(self) -> p.Host:
        return host.facts(self.folders)

    def counters(self) -> p.Counters:
        """The engine's own figures come first where both report one."""
        try:
            found = self.probe.counters()
        except p.Unsupported:
            identity = self.probe.identity()
            found = p.Counters(at_us=identity.clock_us, started_at_us=identity.started_at_us, values={})
        return found.model_copy(
            update={"values": host.counters(self.folders) | found.values, "levels": host.levels() | found.levels}
        )

    def readiness(self) -> p.Readiness:
        found = self.probe.readiness()
        report = p.Report(ability="host", reported=True, what="processor, memory and volumes of the host")
        return found.model_copy(update={"reports": [*found.reports, report]})


def create_agent(servers: Mapping[str, Beside], token: str) -> FastAPI:
    """The application; every request but ``/health`` has to carry the token."""
    app = FastAPI(title="Hardy Gauge agent", docs_url=None, redoc_url=None)

    @app.middleware("http")
    async def authorise(request: Request, go_on: Callable[[Request], Awaitable[Response]]) -> Response:
        sent = request.headers.get("authorization", "").removeprefix("Bearer ")
        if request.url.path != "/health" and not secrets.compare_digest(sent.encode(), token.encode()):
            return JSONResponse({"detail": "a token was expected: Authorization: Bearer …"}, 401)
        return await go_on(request)

    @app.exception_handler(p.Refused)
    def refused(_: Request, error: p.Refused) -> JSONResponse:
        return JSONResponse({"detail": str(error), "field": error.field}, 422)

    @app.exception_handler(p.Unsupported)
    def unsupported(_: Request, error: p.Unsupported) -> JSONResponse:
        return JSONResponse({"detail": str(error)}, 501)

    @app.exception_handler(p.ProbeError)
    def no_answer(_: Request, error: p.ProbeError) -> JSONResponse:
        return JSONResponse({"detail": str(error)}, 502)

    def of(name: str) -> Beside:
        if name not in servers:
            raise HTTPException(404, f"no server '{name}' here; there are: {', '.join(servers)}")
        return servers[name]

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"status": "ok"}

    @app.get("/metrics")
    def openmetrics() -> Response:
        found = {name: beside.counters() for name, beside in servers.items()}
        return Response(metrics.text(found), media_type=metrics.CONTENT_TYPE_LATEST)

    @app.get("/servers")
    def listed() -> list[p.Identity]:
        return [beside.identity().model_copy(update={"server": name}) for name, beside in servers.items()]

    @app.get("/servers/{name}/identity")
    def identity(name: str) -> p.Identity:
        return of(name).identity().model_copy(update={"server": name})

    @app.get("/servers/{name}/host")
    def facts(name: str) -> p.Host:
        return of(name).host()

    @app.get("/servers/{name}/counters")
    def counters(name: str) -> p.Counters:
        return of(name).counters()

    @app.get("/servers/{name}/readiness")
    def readiness(name: str) -> p.Readiness:
        return of(name).readiness()

    @app.get("/servers/{name}/statements")
    def statements(name: str) -> p.StatementCounters:
        return of(name).probe.statements()

    @app.get("/servers/{name}/sessions")
    def sessions(name: str) -> p.Sessions:
        return of(name).probe.sessions()

    @app.get("/servers/{name}/executions")
    def executions(name: str, since_us: int, threshold_s: float, literals: bool = False) -> p.Executions:
        return of(name).probe.executions(since_us, threshold_s, literals)

    @app.get("/servers/{name}/messages")
    def messages(name: str, since_us: int) -> p.LogMessages:
        return of(name).probe.messages(since_us)

    @app.get("/servers/{name}/settings")
    def settings(name: str) -> p.Settings:
        return of(name).probe.settings()

    @app.get("/servers/{name}/objects")
    def objects(name: str) -> p.Objects:
        return of(name).probe.objects()

    @app.get("/servers/{name}/schema")
    def schema(name: str) -> p.Schema:
        return of(name).probe.schema()

    @app.get("/servers/{name}/plans/{key}")
    def plan(name: str, key: str) -> p.Explained:
        return of(name).probe.plan(key)

    @app.post("/servers/{name}/explain")
    def explain(name: str, request: p.ExplainRequest) -> p.Explained:
        return of(name).probe.explain(request)

    @app.post("/servers/{name}/sessions/{session}/end")
    def end_session(name: str, session: int, user: str = "") -> p.Done:
        if not of(name).probe.end_session(session, user):
            raise p.Refused(f"there is no session {session} of '{user}' any more", "session")
        return p.Done(at_us=time.time_ns() // 1000, detail=f"session {session} was ended")

    return app
