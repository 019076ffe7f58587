"""A span of the past diagnosed on demand, in a thread of its own, with progress; what is found is stored as findings that are over."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from hardy_gauge.core.diagnosis.life import lives_of, looks_at
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.narrative.findings import past_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.diagnose.examination import examine, nobody
from hardy_gauge.diagnose.life import keep_past
from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

log = logging.getLogger(__name__)
MOST_LOOKS = 5000
# after each look it rests as long as that took, so that recording and requests have the other half of a core
RESTS = 1.0
State = Literal["running", "done", "stopped"]


@dataclass(frozen=True)
class PastDiagnosis:
    """How far it has come: ``done`` of ``looks``, ``found`` findings that are new, ``failed`` servers that could not be diagnosed; times
    in UTC microseconds.
    """

    from_us: int
    until_us: int
    servers: int
    looks: int
    by: str
    state: State = "running"
    done: int = 0
    found: int = 0
    failed: int = 0
    words: str = ""


class PastDiagnoser:
    """One span at a time."""

    def __init__(self, reader: Reader) -> None:
        self.reader = reader
        self.latest: PastDiagnosis | None = None
        self._lock, self._stop = threading.Lock(), threading.Event()
        self._thread: threading.Thread | None = None

    def start(self, servers: Sequence[Server], span: Span, by: str) -> PastDiagnosis:
        """Begin; Conflict while another goes on, InvalidInput where it would take too many looks, or the span is not over."""
        if span.until_us > self.reader.clock():
            raise InvalidInput("focus: a span of the past was expected; the present is diagnosed all the time", "focus")
        looks = len(servers) * len(looks_at(span))
        if looks > MOST_LOOKS:
            most = MOST_LOOKS // max(len(servers), 1)
            raise InvalidInput(
                f"focus: {looks} looks would be made, one an hour at each of {len(servers)} servers; at most {MOST_LOOKS} are. "
                f"Choose at most {most} hours, or fewer servers",
                "focus",
            )
        with self._lock:
            if self.latest is not None and self.latest.state == "running":
                raise Conflict("another span of the past is being diagnosed; wait until it is done, or stop it")
            self._stop.clear()
            begun = PastDiagnosis(span.since_us, span.until_us, len(servers), looks, by)
            self.latest = replace(begun, words=past_words("running", 0, looks, 0, len(servers), 0))
            self._thread = threading.Thread(
                target=self._run, args=(list(servers), span), name="past-diagnosis", daemon=True
            )
            self._thread.start()
            return self.latest

    def stop(self) -> None:
        """End after the look that is being made; what was found on servers that are done is kept."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(timeout=20)

    def _run(self, servers: Sequence[Server], span: Span) -> None:
        """One server that fails costs nobody else's diagnosis."""
        for server in servers:
            try:
                self._server(server, span)
            except Exception:
                log.exception("a span of the past could not be diagnosed on %s", server.name)
                self._say("running", failed=1)
            if self._stop.is_set():
                break
        self._say("stopped" if self._stop.is_set() else "done")
        self.reader.store.health.to_be_seen()

    def _server(self, server: Server, span: Span) -> None:
        """Look at each hour of one server and store what was found; nothing where it was stopped meanwhile."""
        looks, unknown = [], dict[str, NotKnown]()
        for at_us in looks_at(span):
            if self._stop.is_set():
                return
            began = time.monotonic()
            found = examine(self.reader, server, at_us, nobody)
            looks.append((at_us, found.findings))
            unknown |= {one.cause: one for one in found.unknown}
            self._say("running", done=1)
            self._stop.wait(RESTS * (time.monotonic() - began))
        with self.reader.store.write() as session:
            new = keep_past(session, server.id, lives_of(looks), span, list(unknown.values()))
        self._say("running", found=new)

    def _say(self, state: State, done: int = 0, found: int = 0, failed: int = 0) -> None:
        was = self.latest
        assert was is not None
        now = replace(was, state=state, done=was.done + done, found=was.found + found, failed=was.failed + failed)
        words = past_words(state, now.done, now.looks, now.found, now.servers, now.failed)
        self.latest = replace(now, words=words)
