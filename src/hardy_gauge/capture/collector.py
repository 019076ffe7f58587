"""The collector: ticks every recorder each second, each in its own turn, and writes all of them together.

One thread starts the ticks; another keeps what is wanted, writes and tidies, however long that takes.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import suppress

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from hardy_gauge.capture.access import probe_of
from hardy_gauge.capture.batch_writer import write
from hardy_gauge.capture.look_moments import LookMoments
from hardy_gauge.capture.recorder import Recorder
from hardy_gauge.capture.scrape import Scraper
from hardy_gauge.capture.snapshots import run_due
from hardy_gauge.capture.statement_registry import StatementRegistry
from hardy_gauge.capture.targets import CaptureTarget, capture_targets
from hardy_gauge.core.activity.capture_work import CaptureWork
from hardy_gauge.core.activity.now import Look
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.probes.protocol import ProbeError
from hardy_gauge.store import segment_rows
from hardy_gauge.store.database import Store
from hardy_gauge.store.limits import tidy
from hardy_gauge.store.models import CaptureState, Plan, Server

log = logging.getLogger(__name__)
WRITE_S = 10.0
REFRESH_S = 5.0
TIDY_S = 600.0
SNAPSHOTS_S = 10.0
KEEP_S = 0.5
# how long a write waits for ticks that go on, for one and for all
TAKE_ONE_S, TAKE_S = 0.5, 2.0
# servers are counted so long after each other, within a part of the minute
APART_US = 100_000
MOST_PHASE_US = 20_000_000
MOST_AT_ONCE = 64


class Collector:
    """Follows what is wanted of every server of the store, in threads of its own until ``stop``; one slow or broken
    server holds up nobody else. ``only`` are ids of servers, where not all are wanted.
    """

    def __init__(
        self, store: Store, only: list[int] | None = None, clock: Callable[[], int] = clock_us, write_s: float = WRITE_S
    ) -> None:
        self.store, self.only, self.clock, self.write_s = store, only, clock, write_s
        self._recorders: dict[int, Recorder] = {}
        self._followed: dict[int, CaptureTarget] = {}
        self._retiring: list[tuple[Recorder, Future[None] | None]] = []
        self._pool = ThreadPoolExecutor(max_workers=MOST_AT_ONCE, thread_name_prefix="recorder")
        self._busy: dict[int, Future[None]] = {}
        self._stop, self._poked = threading.Event(), threading.Event()
        self._lock = threading.Lock()
        self._writing = threading.RLock()
        self._said: dict[int, tuple[str, str]] = {}
        self._ticks = self._late = 0
        self._ticked_s = time.monotonic()
        self._threads = [
            threading.Thread(target=job, name=name, daemon=True)
            for job, name in ((self._ticking, "collector"), (self._keeping, "keeper"))
        ]
        self.refresh()

    @property
    def recorders(self) -> list[Recorder]:
        return list(self._recorders.values())

    def last_look(self, server_id: int) -> Look | None:
        """The last look at a server's sessions; None before the first, or where it is not recorded."""
        recorder = self._recorders.get(server_id)
        return None if recorder is None else recorder.last_look()

    def work(self) -> CaptureWork:
        """What it counts of itself."""
        going = sum(not tick.done() for tick in list(self._busy.values()))
        return CaptureWork(self._ticks, self._late, self._ticked_s, len(self._recorders), going)

    def refresh(self) -> None:
        """Begin with servers that are new, leave those that are retired, and follow the rules as they are now."""
        now = {
            w.server_id: w
            for w in capture_targets(self.store, self.clock())
            if self.only is None or w.server_id in self.only
        }
        segment_rows.keep_for(len(now))
        with self._lock:
            left = [self._leave(server_id) for server_id in [i for i in self._recorders if i not in now]]
            for server_id, want in now.items():
                known, recorder = self._followed.get(server_id), self._recorders.get(server_id)
                if recorder is not None and known is not None and known.reached == want.reached:
                    recorder.rule = want.rule
                elif recorder is not None:
                    left.append(self._leave(server_id))
        self._retiring += left
        self._let_go()
        for server_id, want in now.items():
            if server_id not in self._recorders:
                self._begin(want)
        changed = [w for w in now.values() if self._said.get(w.server_id) != (w.rule.mode, w.why)]
        if changed:
            with self.store.write() as session:
                for want in changed:
                    state = session.get_one(CaptureState, want.server_id)
                    state.doing, state.why = want.rule.mode, want.why
            self._said |= {w.server_id: (w.rule.mode, w.why) for w in changed}

    def poke(self) -> None:
        """Refresh within half a second instead of some seconds later."""
        self._poked.set()

    def _begin(self, want: CaptureTarget) -> None:
        try:
            probe = probe_of(self.store, want.server_id)
        except ProbeError as error:
            with self.store.write() as session:
                session.get_one(CaptureState, want.server_id).error = str(error)
            return
        with self.store.read() as session:
            state = session.get_one(CaptureState, want.server_id)
            server = session.get_one(Server, want.server_id)
            now = self.clock()
            recorder = Recorder(
                want.server_id, probe, StatementRegistry(server.engine), set(server.abilities), want.rule,
                executions_until_us=state.executions_until_us or now, messages_until_us=state.messages_until_us or now,
                until_us=state.recorded_until_us, seen_us=state.seen_us, scraper=Scraper(server.scrapes) if server.scrapes else None,
                phase_us=want.server_id * APART_US % MOST_PHASE_US,
            )  # fmt: skip
            query = select(Plan.statement_id, Plan.plan_key).where(Plan.server_id == want.server_id)
            for statement_id, plan_key in session.execute(query):
                recorder.plans_known[statement_id].add(plan_key)
        with self._lock:
            self._recorders[want.server_id] = recorder
            self._followed[want.server_id] = want

    def _leave(self, server_id: int) -> tuple[Recorder, Future[None] | None]:
        """Its last tick may still go on; what it holds is written, and its probe closed, when that is over."""
        self._followed.pop(server_id, None)
        return self._recorders.pop(server_id), self._busy.pop(server_id, None)

    def _let_go(self) -> None:
        for left in [one for one in self._retiring if one[1] is None or one[1].done()]:
            self._write([left[0]])
            self._retiring.remove(left)
            with suppress(ProbeError):
                left[0].close()

    def start(self) -> None:
        for thread in self._threads:
            thread.start()

    def stop(self, last_look: bool = False) -> None:
        """Finish the ticks under way, write what is held, and end. With ``last_look`` the counters are asked once
        more, so that the interval begun is not lost.
        """
        self._stop.set()
        self._poked.set()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(timeout=20)
        if last_look:
            wait(self._busy.values(), timeout=20)
            for recorder in self.recorders:
                if (last := self._busy.get(recorder.server_id)) is None or last.done():
                    self._pool.submit(recorder.look_again, self.clock())
        self._pool.shutdown(wait=True, cancel_futures=not last_look)
        self.write()
        for recorder in self.recorders:
            recorder.close()

    def _ticking(self) -> None:
        """Nothing but starting ticks, so that nothing makes them late."""
        moments = LookMoments()
        while not self._stop.is_set():
            self.tick()
            self._stop.wait(moments.wait_s(time.time()))

    def _keeping(self) -> None:
        """Capture targets, batches, and room in the store, one after the other."""
        written = tidied = refreshed = time.monotonic()
        looked = 0.0
        snapshots: Future[None] | None = None
        while not self._stop.is_set():
            if self._poked.is_set() or time.monotonic() - refreshed >= REFRESH_S:
                self._poked.clear()
                refreshed = time.monotonic()
                self._guarded(self.refresh)
            if time.monotonic() - written >= self.write_s:
                written = time.monotonic()
                self._guarded(self.write)
            if time.monotonic() - tidied >= TIDY_S:
                tidied = time.monotonic()
                self._guarded(lambda: tidy(self.store, self.clock()))
            if time.monotonic() - looked >= SNAPSHOTS_S and (snapshots is None or snapshots.done()):
                looked = time.monotonic()
                snapshots = self._pool.submit(self._guarded, lambda: run_due(self.store, self.clock()))
            self._poked.wait(KEEP_S)

    def _guarded(self, job: Callable[[], object]) -> None:
        try:
            job()
        except Exception:
            log.exception("the collector could not write; it tries again")

    def tick(self) -> None:
        """Start a tick of every recorder that is not still busy with the last one."""
        now = self.clock()
        with self._lock:
            for recorder in self._recorders.values():
                last = self._busy.get(recorder.server_id)
                self._ticks += 1
                if last is None or last.done():
                    self._busy[recorder.server_id] = self._pool.submit(recorder.tick, now)
                else:
                    self._late += 1
            self._ticked_s = time.monotonic()

    def settle(self, patient_s: float) -> None:
        """Wait until the ticks under way have ended; TimeoutError when one goes on for longer than ``patient_s``."""
        for tick in list(self._busy.values()):
            tick.result(timeout=patient_s)

    def write(self) -> None:
        """The batches of recorders that are not in the middle of a long tick, in one transaction."""
        self._let_go()
        self._write(self.recorders)

    def _write(self, recorders: list[Recorder]) -> None:
        """All of it or nothing: what could not be stored is given back, and written with the next. One whose rows make
        no table loses them, and holds up nobody else. Of one that is in the middle of a long tick, only why it fails.
        """
        with self._writing:
            ends = time.monotonic() + TAKE_S
            taken = [
                (r, batch, r.registry.copy())
                for r in recorders
                if (batch := r.take(max(0.0, min(TAKE_ONE_S, ends - time.monotonic())))) is not None
            ]
            new = [trouble for _, batch, _ in taken for trouble in batch.troubles if trouble.row_id is None]
            now, at = self.clock(), -1
            try:
                with self.store.write() as session:
                    mine = [recorder.server_id for recorder in recorders]
                    found = session.scalars(select(CaptureState).where(CaptureState.server_id.in_(mine)))
                    states = {state.server_id: state for state in found}
                    failing = {recorder.server_id: recorder.error for recorder in recorders}
                    changed = [state for number, state in states.items() if state.error != failing[number]]
                    for state in changed:
                        state.error = failing[state.server_id]
                    for at, (recorder, batch, registry) in enumerate(taken):  # noqa: B007
                        with recorder.backoff.working():
                            write(session, states[recorder.server_id], batch, registry, now)
                    at = -1
            except BaseException as error:
                for trouble in new:
                    trouble.row_id = None
                for place, (recorder, batch, _) in enumerate(taken):
                    if place == at and not isinstance(error, SQLAlchemyError | OSError):
                        recorder.lose(batch, now, type(error).__name__)
                    else:
                        recorder.take_back(batch)
                raise
            for recorder, _, registry in taken:
                recorder.registry = registry
            if changed:
                self.store.health.to_be_seen()
