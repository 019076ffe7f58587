"""The collector: ticks every recorder each second, each in its own turn, and writes all of them together."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import suppress

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import probe_of
from hardy_gauge.capture.convert import Directory
from hardy_gauge.capture.importer import record_messages_in, take_plan
from hardy_gauge.capture.limits import tidy
from hardy_gauge.capture.recorder import Recorder, Trouble
from hardy_gauge.capture.scrape import Scraper
from hardy_gauge.capture.snapshots import run_due
from hardy_gauge.capture.wanted import Wanted, wanted
from hardy_gauge.probes.protocol import LogMessages, ProbeError, Settings
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Change, Gap, Plan, Server, Snapshot

log = logging.getLogger(__name__)
WRITE_S = 10.0
REFRESH_S = 5.0
TIDY_S = 600.0
SNAPSHOTS_S = 10.0
MOST_AT_ONCE = 64


def clock_us() -> int:
    return time.time_ns() // 1000


class Collector:
    """Follows what is wanted of every server of the store, in threads of its own until ``stop``; one slow or broken
    server holds up nobody else. ``only`` are ids of servers, where not all are wanted.
    """

    def __init__(
        self, store: Store, only: list[int] | None = None, clock: Callable[[], int] = clock_us, write_s: float = WRITE_S
    ) -> None:
        self.store, self.only, self.clock, self.write_s = store, only, clock, write_s
        self._recorders: dict[int, Recorder] = {}
        self._followed: dict[int, Wanted] = {}
        self._retiring: list[tuple[Recorder, Future[None] | None]] = []
        self._pool = ThreadPoolExecutor(max_workers=MOST_AT_ONCE, thread_name_prefix="recorder")
        self._busy: dict[int, Future[None]] = {}
        self._plans: set[tuple[int, str]] = set()
        self._stop, self._poked = threading.Event(), threading.Event()
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._run, name="collector", daemon=True)
        self.refresh()

    @property
    def recorders(self) -> list[Recorder]:
        return list(self._recorders.values())

    def refresh(self) -> None:
        """Begin with servers that are new, leave those that are retired, and follow the rules as they are now."""
        with self._lock:
            now = {
                w.server_id: w
                for w in wanted(self.store, self.clock())
                if self.only is None or w.server_id in self.only
            }
            for server_id in [i for i in self._recorders if i not in now]:
                self._leave(server_id)
            for server_id, want in now.items():
                known, recorder = self._followed.get(server_id), self._recorders.get(server_id)
                if recorder is not None and known is not None and known.reached == want.reached:
                    recorder.rule = want.rule
                else:
                    self._begin(want)
                self._followed[server_id] = want
            with self.store.write() as session:
                for want in now.values():
                    state = session.get_one(CaptureState, want.server_id)
                    state.doing, state.why = want.rule.mode, want.why

    def poke(self) -> None:
        """Refresh at the next tick instead of some seconds later."""
        self._poked.set()

    def _begin(self, want: Wanted) -> None:
        if want.server_id in self._recorders:
            self._leave(want.server_id)
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
            self._recorders[want.server_id] = Recorder(
                want.server_id, probe, Directory(server.engine), set(server.abilities), want.rule,
                executions_until_us=state.executions_until_us or now, messages_until_us=state.messages_until_us or now,
                until_us=state.recorded_until_us, scraper=Scraper(server.scrapes) if server.scrapes else None,
            )  # fmt: skip

    def _leave(self, server_id: int) -> None:
        """Its last tick may still go on; what it gathered is written, and its probe closed, when that is over."""
        recorder = self._recorders.pop(server_id)
        self._followed.pop(server_id, None)
        self._retiring.append((recorder, self._busy.pop(server_id, None)))
        self._let_go()

    def _let_go(self) -> None:
        for left in [one for one in self._retiring if one[1] is None or one[1].done()]:
            self._write([left[0]])
            self._retiring.remove(left)
            with suppress(ProbeError):
                left[0].close()

    def start(self) -> None:
        self._thread.start()

    def stop(self, last_look: bool = False) -> None:
        """Finish the ticks under way, write what was gathered, and end. With ``last_look`` the counters are asked once
        more, so that the interval begun is not lost.
        """
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=20)
        if last_look:
            wait(self._busy.values(), timeout=20)
            for recorder in filter(self._is_idle, self.recorders):
                self._pool.submit(recorder.look_again, self.clock())
        self._pool.shutdown(wait=True, cancel_futures=not last_look)
        self.write()
        for recorder in self.recorders:
            recorder.close()

    def _run(self) -> None:
        written = tidied = refreshed = time.monotonic()
        looked = 0.0
        snapshots: Future[None] | None = None
        while not self._stop.is_set():
            if self._poked.is_set() or time.monotonic() - refreshed >= REFRESH_S:
                self._poked.clear()
                refreshed = time.monotonic()
                self._guarded(self.refresh)
            self.tick()
            if time.monotonic() - written >= self.write_s:
                written = time.monotonic()
                self._guarded(self.write)
            if time.monotonic() - tidied >= TIDY_S:
                tidied = time.monotonic()
                self._guarded(lambda: tidy(self.store, self.clock()))
            if time.monotonic() - looked >= SNAPSHOTS_S and (snapshots is None or snapshots.done()):
                looked = time.monotonic()
                snapshots = self._pool.submit(self._guarded, lambda: run_due(self.store, self.clock()))
            now = time.time()
            self._stop.wait(1.0 - now % 1.0 + 0.05)

    def _guarded(self, job: Callable[[], object]) -> None:
        try:
            job()
        except Exception:
            log.exception("the collector could not write; it tries again")

    def tick(self) -> None:
        """Start a tick of every recorder that is not still busy with the last one."""
        now = self.clock()
        for recorder in self.recorders:
            last = self._busy.get(recorder.server_id)
            if last is None or last.done():
                self._busy[recorder.server_id] = self._pool.submit(recorder.tick, now)

    def write(self) -> None:
        """Everything gathered by recorders that are not in the middle of a tick, in one transaction."""
        self._let_go()
        idle = [r for r in self.recorders if self._is_idle(r)]
        self._write(idle)
        for recorder in idle:
            self._take_plans(recorder)

    def _write(self, recorders: list[Recorder]) -> None:
        """All of it or nothing: what could not be stored is gathered still, and written with the next."""
        before = [(r, dict(r.directory.known), [t for t in r.troubles if t.row_id is None]) for r in recorders]
        try:
            with self.store.write() as session:
                for recorder in recorders:
                    with recorder.pace.working():
                        self._write_one(session, recorder)
        except BaseException:
            for recorder, known, unknown in before:
                recorder.directory.known = known
                for trouble in unknown:
                    trouble.row_id = None
            raise
        for recorder in recorders:
            recorder.written()

    def _is_idle(self, recorder: Recorder) -> bool:
        future = self._busy.get(recorder.server_id)
        if future is None:
            return True
        try:
            future.result(timeout=0.5)
        except TimeoutError:
            return False
        return True

    def _write_one(self, session: Session, recorder: Recorder) -> None:
        now = self.clock()
        recorder.directory.learn(session, [*recorder.counters_seen, *recorder.texts_seen.values()], now)
        for name, frame in recorder.frames().items():
            kind = next(k for k in segments.KINDS if k == name)
            segments.append(session, recorder.server_id, kind, frame)
        state = session.get_one(CaptureState, recorder.server_id)
        state.recorded_until_us = max(state.recorded_until_us, recorder.until_us)
        state.executions_until_us = max(state.executions_until_us, recorder.executions_until_us)
        state.messages_until_us = max(state.messages_until_us, recorder.messages_until_us)
        state.seen_us = max(state.seen_us, recorder.seen_us)
        state.error, state.clock_skew_s = recorder.error, recorder.skew_s
        for trouble in recorder.troubles:
            _write_trouble(session, recorder.server_id, trouble)
        record_messages_in(session, recorder.server_id, LogMessages(until_us=now, messages=recorder.changes))
        if recorder.settings is not None:
            _setting_changes(session, recorder.server_id, recorder.settings)
            _snapshot(session, recorder.server_id, "settings", recorder.settings.at_us, recorder.settings.model_dump())
        if recorder.schema is not None:
            _snapshot(session, recorder.server_id, "schema", recorder.schema.at_us, recorder.schema.model_dump())

    def _kept(self, recorder: Recorder, statement_id: int) -> int:
        """How many plans of a statement on a server are kept."""
        mine = (Plan.server_id == recorder.server_id, Plan.statement_id == statement_id)
        with self.store.read() as session:
            return session.scalar(select(func.count()).select_from(Plan).where(*mine)) or 0

    def _take_plans(self, recorder: Recorder) -> None:
        for row in recorder.counters_seen:
            known = recorder.directory.known.get(row.key)
            if row.plan_key is None or known is None or (recorder.server_id, row.plan_key) in self._plans:
                continue
            if recorder.rule.mode == "reading" or self._kept(recorder, known.statement_id) >= recorder.rule.plans:
                continue
            self._plans.add((recorder.server_id, row.plan_key))
            try:
                take_plan(
                    self.store, recorder.server_id, recorder.probe, known.statement_id, row.plan_key, self.clock()
                )
            except ProbeError as error:
                log.info("plan %s of server %s: %s", row.plan_key, recorder.server_id, error)


def _write_trouble(session: Session, server_id: int, trouble: Trouble) -> None:
    if trouble.row_id is None:
        row = Gap(
            server_id=server_id, kind=trouble.kind, from_us=trouble.from_us, to_us=trouble.to_us, reason=trouble.reason
        )
        session.add(row)
        session.flush()
        trouble.row_id = row.id
        return
    session.get_one(Gap, trouble.row_id).to_us = trouble.to_us


def _snapshot(session: Session, server_id: int, kind: str, at_us: int, body: dict[str, object]) -> None:
    session.merge(Snapshot(server_id=server_id, kind=kind, taken_us=at_us, body=body))


def _setting_changes(session: Session, server_id: int, settings: Settings) -> None:
    """A change for every setting whose value is not what it was at the last look."""
    before = session.scalar(select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == "settings"))
    if before is None:
        return
    old = {row["name"]: row["value"] for row in before.body["settings"]}
    for row in settings.settings:
        if row.name in old and old[row.name] != row.value:
            title = f"{row.name} changed from {old[row.name]} to {row.value}"
            session.add(Change(server_id=server_id, at_us=settings.at_us, kind="setting", title=title, object=row.name))
