"""Have the usual ranges and storage forecasts ready before they are asked for."""

from __future__ import annotations

import logging
import threading

from hardy_gauge.core.time.window import parse_window
from hardy_gauge.queries.changes import changes_in
from hardy_gauge.queries.fleet import fleet
from hardy_gauge.queries.holdup_sheet import Asked, holdup_sheet
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recurrences import LEARNT_IN, recurrences
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.queries.tape import usual_of_sum
from hardy_gauge.queries.volumes import volumes_of

log = logging.getLogger(__name__)
RENEW_S = 2400.0
PAUSE_S = 0.1
MANY = 32  # servers: of fewer, a first answer is quick


def ask_first(reader: Reader) -> None:
    """What the screens of a whole fleet of many servers ask first, so that hours are decoded and made before somebody waits for them."""
    now = reader.clock()
    fleet(reader)
    ledger(reader, parse_window("PT1H", "usual", now), FLEET, LedgerQuestion())
    statement_rows(reader, parse_window("PT1H", "usual", now), FLEET)
    holdup_sheet(reader, parse_window("PT6H", "usual", now), FLEET, Asked())
    changes_in(reader, FLEET, parse_window("PT24H", "usual", now).focus)


class Warmer:
    """Learns what is known of every server, in a thread of its own, and renews it before it is too old."""

    def __init__(self, reader: Reader) -> None:
        self.reader = reader
        self.ready, self._stop = threading.Event(), threading.Event()

    def start(self) -> None:
        """Begin; ``ready`` is set when the usual ranges of every server were learnt once. It can begin again after ``stop``."""
        self._stop.clear()
        threading.Thread(target=self._run, name="warmer", daemon=True).start()

    def stop(self) -> None:
        """End after the server whose ranges are being learnt."""
        self._stop.set()

    def _run(self) -> None:
        while not self._stop.is_set():
            servers = servers_in(self.reader, FLEET)
            for server in servers:
                if self._stop.wait(PAUSE_S if self.ready.is_set() else 0):
                    return
                self.reader.renew(server.id)
                volumes_of(self.reader, server, self.reader.clock())
            usual_of_sum(self.reader, servers)
            self.ready.set()
            for server in servers:
                if self._stop.wait(PAUSE_S):
                    return
                recurrences(self.reader, server.name, LEARNT_IN)
            if len(servers) >= MANY and not self._stop.is_set():
                try:
                    ask_first(self.reader)
                except Exception:  # what is learnt of servers goes on; who asks is told what is wrong
                    log.exception("the first answers of the whole fleet could not be made")
            self._stop.wait(RENEW_S)
