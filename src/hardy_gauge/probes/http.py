"""The probe protocol over HTTP. Every answer has a deadline and a largest size, and is checked on reading."""

from __future__ import annotations

import json
from typing import Any, TypeVar
from urllib.parse import quote, urlsplit

import polars as pl
from pydantic import BaseModel, ValidationError

from hardy_gauge.probes import protocol as p
from hardy_gauge.probes.in_process import wire_to
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.transport import NoAnswer, TooLarge, TooLate
from hardy_gauge.sandbox.decoder import decoded
from hardy_gauge.sandbox.process import SandboxEnded

Answer = TypeVar("Answer", bound=BaseModel)
WHAT: dict[p.Ability, str] = {
    "counters": "work, storage and log of the whole server", "statements": "calls and time of every statement",
    "sessions": "what every session works on or waits for", "executions": "single executions above a threshold",
    "settings": "settings with their defaults and ranges", "schema": "tables, columns and indexes",
    "objects": "reads, writes and sizes of tables and indexes, and sequences",
    "explain": "plans of texts", "plans": "plans that were in use", "messages": "log messages",
    "history": "what was recorded before capture began",
    "page_trace": "pages asked for one after the other", "end_session": "ending a session on demand",
    "own_figures": "queries of your own whose values are recorded", "pins": "plans kept for a statement",
    "cached_pages": "what the cache holds, by table and index",
}  # fmt: skip
MOST_BYTES = 16 * 2**20
MOST_OF = {"identity": 2**16, "host": 2**18, "counters": 2**20, "readiness": 2**20, "settings": 2**22, "members": 2**20}
MOST_HISTORY_BYTES = 512 * 2**20


class HttpProbe:
    """One server behind ``address`` (".../servers/desk-a"); ``deadline_s`` is for a whole answer, the credential's
    secret the token it asks for, if it does.
    """

    def __init__(self, address: str, deadline_s: float = 5.0, credential: Credential | None = None) -> None:
        self.address, self.deadline_s = address.rstrip("/"), deadline_s
        plain = urlsplit(self.address).scheme != "https"
        if credential is not None and plain and not credential.plain_text:
            raise p.ProbeError(
                "the account is not sent without encryption: write https://, or let an administrator allow it"
            )
        self._wire = wire_to(self.address, credential.certificate if credential else "")
        self._headers = {"authorization": f"Bearer {credential.secret}"} if credential else {}

    def close(self) -> None:
        self._wire.close()

    def list_servers(self) -> list[str]:
        """Names of the servers that answer beside each other under this address."""
        try:
            found: Any = json.loads(self._send("GET", "servers"))
            return [p.Identity.model_validate(item).server for item in found]
        except ValueError as error:
            raise p.ProbeError(f"the list of servers is not the protocol: {error}") from error

    def identity(self) -> p.Identity:
        return self._get("identity", p.Identity)

    def host(self) -> p.Host:
        return self._get("host", p.Host)

    def counters(self) -> p.Counters:
        return self._get("counters", p.Counters)

    def statements(self) -> p.StatementCounters:
        return self._get("statements", p.StatementCounters)

    def sessions(self) -> p.Sessions:
        return self._get("sessions", p.Sessions)

    def executions(self, since_us: int, threshold_s: float, literals: bool = False) -> p.Executions:
        kept = "&literals=true" if literals else ""
        return self._get(f"executions?since_us={since_us}&threshold_s={threshold_s}{kept}", p.Executions)

    def settings(self) -> p.Settings:
        return self._get("settings", p.Settings)

    def schema(self) -> p.Schema:
        return self._get("schema", p.Schema)

    def objects(self) -> p.Objects:
        return self._get("objects", p.Objects)

    def messages(self, since_us: int) -> p.LogMessages:
        return self._get(f"messages?since_us={since_us}", p.LogMessages)

    def members(self) -> p.Members:
        """Servers of its cluster that answer beside it under the same base address."""
        identity = self.identity()
        base = self.address.rpartition("/servers/")[0]
        try:
            found: Any = json.loads(self._send("GET", "../../servers" if base else "servers"))
            known = [p.Identity.model_validate(item) for item in found]
        except ValueError as error:
            raise p.ProbeError(f"the list of servers is not the protocol: {error}") from error
        rows = [
            p.Member(name=i.server, role=i.role, address=f"{base}/servers/{i.server}")
            for i in known
            if i.cluster == identity.cluster and i.server != identity.server
        ]
        return p.Members(at_us=identity.clock_us, members=rows)

    def readiness(self) -> p.Readiness:
        """What it says itself; from its abilities where it has no more to say."""
        try:
            return self._get("readiness", p.Readiness)
        except p.Unsupported:
            identity = self.identity()
            reports = [p.Report(ability=a, reported=a in identity.abilities, what=WHAT[a]) for a in WHAT]
            return p.Readiness(at_us=identity.clock_us, reports=reports)

    def end_session(self, session: int, user: str) -> bool:
        self._send("POST", f"sessions/{session}/end?user={quote(user, safe='')}")
        return True

    def pins(self) -> p.Pins:
        return self._get("pins", p.Pins)

    def pin(self, request: p.PinRequest) -> p.Done:
        return self._read(self._send("POST", "pins", request), p.Done)

    def plan(self, plan_key: str) -> p.Explained:
        return self._get(f"plans/{plan_key}", p.Explained)

    def explain(self, request: p.ExplainRequest) -> p.Explained:
        return self._read(self._send("POST", "explain", request), p.Explained)

    # histories and plays --------------------------------------------------------------------------

    def history(self, kind: p.HistoryKind, since_us: int, until_us: int) -> pl.DataFrame:
        """Recorded rows of a past span; columns as in docs/probe-protocol.md."""
        path = f"history/{kind}?since_us={since_us}&until_us={until_us}"
        return _frame(self._send("GET", path, deadline_s=300, most_bytes=MOST_HISTORY_BYTES))

    def page_trace(self, asks: int) -> pl.DataFrame:
        """Pages asked for one after the other: ``object``, ``page``, ``in_order``."""
        return _frame(self._send("GET", f"pages?asks={asks}", deadline_s=60, most_bytes=MOST_HISTORY_BYTES))

    def play(self, request: p.PlayRequest) -> p.PlayState:
        return self._read(self._send("POST", "plays", request, deadline_s=30), p.PlayState)

    def play_state(self, play: str) -> p.PlayState:
        return self._read(self._send("GET", f"../../plays/{play}"), p.PlayState)

    def stop_play(self, play: str) -> None:
        self._send("DELETE", f"../../plays/{play}")

    def play_rows(self, play: str, part: str) -> pl.DataFrame:
        """``executions`` or ``samples`` of a play that has ended."""
        return _frame(self._send("GET", f"../../plays/{play}/{part}", deadline_s=60, most_bytes=MOST_HISTORY_BYTES))

    # the transport -------------------------------------------------------------------------------------

    def _get(self, path: str, model: type[Answer]) -> Answer:
        return self._read(self._send("GET", path, most_bytes=MOST_OF.get(path, MOST_BYTES)), model)

    def _send(
        self, method: str, path: str, body: BaseModel | None = None, deadline_s: float | None = None,
        most_bytes: int = MOST_BYTES,
    ) -> bytes:  # fmt: skip
        base, seconds = self.address, deadline_s or self.deadline_s
        while path.startswith("../"):
            base, path = base.rsplit("/", 1)[0], path[3:]
        content = body.model_dump_json() if body is not None else None
        headers = self._headers if body is None else self._headers | {"content-type": "application/json"}
        try:
            status, received = self._wire.ask(method, f"{base}/{path}", headers, content, seconds, most_bytes)
        except TooLate as late:
            words = f"the answer to {path} took longer than" if late.begun else f"no answer to {path} within"
            raise p.ProbeError(f"{words} {seconds:g} s") from late
        except TooLarge as error:
            raise p.ProbeError(f"the answer to {path} is {error}") from error
        except NoAnswer as error:
            raise p.ProbeError(f"no answer to {path}: {error}") from error
        if status == 422:
            detail, field = _problem(received)
            raise p.Refused(detail, field)
        if status in (401, 403):
            raise p.ProbeError("the probe asks for a token, or for another one than it was given")
        if status in (404, 405, 501):
            raise p.Unsupported(f"the server does not report {path.split('?')[0]}")
        if status != 200:
            raise p.ProbeError(f"{path} was answered with status {status}")
        return received

    @staticmethod
    def _read(body: bytes, model: type[Answer]) -> Answer:
        try:
            return model.model_validate_json(body)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"]) or "the answer"
            raise p.ProbeError(f"the answer is not the protocol: {where}: {first['msg']}") from error


def _frame(body: bytes) -> pl.DataFrame:
    try:
        return decoded(body)
    except SandboxEnded as error:
        raise p.ProbeError(f"the answer is not Parquet: {error}") from error


def _problem(body: bytes) -> tuple[str, str]:
    try:
        document: Any = json.loads(body)
        if isinstance(document.get("detail"), list):
            first = document["detail"][0]
            return str(first["msg"]), ".".join(str(part) for part in first["loc"] if part != "body")
        return str(document.get("detail", "refused")), str(document.get("field", ""))
    except (ValueError, AttributeError, KeyError, IndexError):
        return "refused", ""
