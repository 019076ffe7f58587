"""The worker that diagnoses every server of the fleet in turn, apart from requests and from recording.

One server that fails costs its own diagnosis and nobody else's.
"""

from __future__ import annotations

import logging
import threading
import time
from functools import partial

from hardy_gauge.diagnose import life
from hardy_gauge.diagnose.examination import Examined, examine
from hardy_gauge.diagnose.questions import answer_to
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import is_behind_address

log = logging.getLogger(__name__)
EVERY_S = 60.0
BETWEEN_S = 0.2
# after each server the worker rests for so many times as long as it took, so that it never takes a core to itself
RESTS = 2.0


def diagnose_server(reader: Reader, server: Server) -> Examined:
    """Diagnose the last hour of one server, ask it what the rules want to know, and store what was found.

    Of a server that came in a file it is the last hour that was recorded.
    """
    now = reader.clock() if is_behind_address(server.address) else server.capture.recorded_until_us
    found = examine(reader, server, now, partial(answer_to, reader.store, server))
    with reader.store.write() as session:
        life.keep(session, server.id, found.findings, {one.cause for one in found.unknown}, now)
        life.keep_state(session, server.id, found.unknown, "", now)
    return found


class DiagnosisWorker:
    """Diagnoses all servers again and again in a thread of its own until ``stop``."""

    def __init__(self, reader: Reader, every_s: float = EVERY_S, between_s: float = BETWEEN_S) -> None:
        self.reader, self.every_s, self.between_s = reader, every_s, between_s
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin; the first round is made at once. It can begin again after ``stop``."""
        self._stop.clear()
        self._thread = threading.Thread(target=self._run, name="diagnosis", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End after the server that is being diagnosed."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(timeout=20)

    def round(self) -> None:
        """Diagnose every server that is recorded, one after the other."""
        took_s = 0.0
        for server in servers_in(self.reader, FLEET):
            if self._stop.wait(max(self.between_s, RESTS * took_s)):
                return
            began = time.monotonic()
            try:
                diagnose_server(self.reader, server)
            except Exception as error:
                log.exception("server %s could not be diagnosed", server.name)
                with self.reader.store.write() as session:
                    reason = f"it could not be diagnosed: {type(error).__name__}"
                    life.keep_state(session, server.id, [], reason, self.reader.clock())
            took_s = time.monotonic() - began

    def _run(self) -> None:
        while not self._stop.is_set():
            began = time.monotonic()
            try:
                self.round()
            except Exception:
                log.exception("a round of diagnosis failed; the next one is tried")
            # from beginning to beginning, so that a large fleet is not diagnosed less often than a small one
            self._stop.wait(max(BETWEEN_S, self.every_s - (time.monotonic() - began)))
