"""Recording one server by its rule: what is asked at each tick, what is held until it is written, what went wrong.

A call that fails costs this server a gap, and nothing else. What could not be stored is given back and taken again.
"""

from __future__ import annotations

import logging
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from threading import Lock

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.capture.batch import CaptureBatch, Trouble, Until
from hardy_gauge.capture.intervals import MINUTE_US, Intervals
from hardy_gauge.capture.last_look import look_of
from hardy_gauge.capture.open_spans import OpenSpans
from hardy_gauge.capture.pin_looks import PinLooks
from hardy_gauge.capture.plan_taking import PlanTaking
from hardy_gauge.capture.planner_looks import PlannerLooks
from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.schema_looks import SchemaLooks
from hardy_gauge.capture.scrape import Scraper
from hardy_gauge.capture.statement_registry import Seen, StatementRegistry
from hardy_gauge.core.activity.now import Look
from hardy_gauge.core.narrative.capture import NOT_RUNNING, NOT_STORED
from hardy_gauge.core.sql.comment_tags import NOTHING, comment_tags
from hardy_gauge.probes import protocol as p

log = logging.getLogger(__name__)
SKEW_LIMIT_S = 30.0
SHORTEST_GAP_US = 5_000_000
EXECUTIONS_S = 10.0
OBJECTS_S, OBJECTS_APART_US = 60.0, 10_000_000
STEP_US = 2_000_000
MOST_MEMBERS = 100
IDLE_US = 1_000_000  # a session between two statements of a transaction is none, unless somebody waits for it


@dataclass
class Recorder:
    """One server's capture. ``tick`` asks what is due; ``now_us`` is the collector's clock.

    What is asked less often than each second is due ``phase_us`` after whole multiples of its interval, so that a fleet
    is not asked all at once. ``plans_known`` are the keys of the plans that are stored, by statement.
    """

    server_id: int
    probe: p.Probe
    registry: StatementRegistry
    abilities: set[str]
    rule: CaptureRule
    executions_until_us: int
    messages_until_us: int
    backoff: Backoff = field(default_factory=Backoff)
    scraper: Scraper | None = None
    phase_us: int = 0
    plans_known: defaultdict[int, set[str]] = field(default_factory=lambda: defaultdict(set))
    error: str = ""
    seen_us: int = 0
    skew_s: float = 0.0
    until_us: int = 0
    _last: tuple[int, float, list[p.Session], list[p.Holder]] | None = None
    _due: dict[str, int] = field(default_factory=dict)
    _ticked_us: int = 0
    _settings: list[p.SettingValue] | None = None
    _host: dict[str, object] | None = None
    _identity: tuple[object, ...] | None = None
    _members_known: set[str] = field(default_factory=set)

    def __post_init__(self) -> None:
        self.work = Intervals(lambda *what: self.batch.troubles.append(Trouble(*what)))
        self.objects = SchemaLooks(self.probe, self.backoff)
        self.planner = PlannerLooks(self.probe, self.backoff)
        self.pins = PinLooks(self.probe, self.backoff)
        self.plans = PlanTaking(self.server_id, self.probe, self.backoff, self.plans_known)
        self.batch = CaptureBatch(self.rule, Until())
        self._spans = OpenSpans(lambda: self.batch.troubles)
        self._notice = self._spans.notice
        self._turn = Lock()

    def tick(self, now_us: int) -> None:
        """Ask what is due. A failing call opens a gap; the first good one afterwards closes it."""
        with self._turn, self.backoff.working():
            self._tick(now_us)

    def last_look(self) -> Look | None:
        """What was seen at the last look, with why there is no later one; None before the first. The server is asked nothing."""
        if self._last is None:
            return None
        return look_of(*self._last, self.registry, self.error)

    def take(self, wait_s: float = 0.0) -> CaptureBatch | None:
        """The batch, which is then for the caller to store; None when a tick goes on for longer than
        ``wait_s``.
        """
        if not self._turn.acquire(timeout=wait_s):
            return None
        try:
            taken, self.batch = self.batch, CaptureBatch(self.rule, Until())
            metrics, statements = self.work.taken()
            taken.metrics += metrics
            taken.statements += statements
            tables, indexes, sequences, events = self.objects.intervals.taken()
            taken.tables += tables
            taken.indexes += indexes
            taken.sequences += sequences
            taken.events += events
            taken.rule = self.rule
            taken.until = Until(
                self.until_us, self.executions_until_us, self.messages_until_us, self.seen_us, self.skew_s
            )
            return taken
        finally:
            self._turn.release()

    def take_back(self, taken: CaptureBatch) -> None:
        """It could not be stored."""
        with self._turn:
            self.batch = taken.followed_by(self.batch)

    def lose(self, taken: CaptureBatch, now_us: int, reason: str) -> None:
        """It can never be stored: a gap is left in its place."""
        gap = Trouble("gap", taken.since_us(), now_us, f"{NOT_STORED}: {reason}")
        with self._turn:
            self.batch.troubles += [*taken.troubles, gap]

    def _tick(self, now_us: int) -> None:
        rule = self.rule
        self._stepped(now_us)
        self._notice("paused", now_us, f"rule {rule.name}: nothing new is recorded" if rule.mode == "reading" else "")
        if rule.mode == "reading":
            self._forget()
            self._due.clear()
            self.executions_until_us = self.until_us = now_us
            return
        self._notice("not sampled", now_us, "" if rule.sample else f"rule {rule.name}: sessions are not looked at")
        self._notice("partial", now_us, rule.left_out())
        try:
            if "sessions" in self.abilities and rule.sample:
                self._look(now_us, rule.sample)
            if self._is_due("counters", now_us, rule.counters, self.phase_us):
                self._minute(now_us)
            # some seconds after the counters, so that no tick has to wait for both
            apart_us = self.phase_us + OBJECTS_APART_US
            if {"objects", "schema"} & self.abilities and self._is_due("objects", now_us, OBJECTS_S, apart_us):
                self._count_objects(now_us)
            if "executions" in self.abilities and rule.threshold is not None:
                self._finished(now_us, rule.threshold)
            self.batch.plans += self.plans.tick(self.registry, self.rule.plans, now_us)
        except p.ProbeError as error:
            self._failed(now_us, str(error))
            return
        except Exception as error:
            log.exception("server %s: an answer could not be used", self.server_id)
            self._failed(now_us, f"an answer could not be used: {type(error).__name__}")
            return
        self.seen_us, self.error = now_us, ""
        self._notice("gap", now_us, "")

    def _stepped(self, now_us: int) -> None:
        """When our clock goes back, what was due is due anew, and the time that comes again is marked."""
        back_us = self._ticked_us - now_us
        if back_us > STEP_US:
            self._due.clear()
            reason = f"our clock went back by {back_us / 1e6:.0f} s; figures of this time are of two"
            self.batch.troubles.append(Trouble("clock", now_us, self._ticked_us, reason))
        self._ticked_us = now_us

    def look_again(self, now_us: int) -> None:
        """A tick at which everything is due."""
        self._due.clear()
        self.tick(now_us)

    def _look(self, now_us: int, sample_s: float) -> None:
        """One look at the sessions; each stands for the time until the next."""
        every_s = sample_s * self.backoff.factor
        if not self._is_due("sessions", now_us, every_s):
            return
        before = self.backoff.seconds
        answer = self.backoff.timed(self.probe.sessions)
        self.backoff.look(self.backoff.seconds - before, sample_s)
        words = f"it answers slowly, so sessions are looked at every {sample_s * self.backoff.factor:g} s"
        self._notice("slowed", now_us, words if self.backoff.factor > 1 else "")
        at = now_us // 1_000_000 * 1_000_000
        tagged = [s for s in map(_tagged, answer.sessions) if self._takes(s)]
        held = [one for one in answer.holders if self._takes(one)]
        self._last = answer.at_us, every_s, tagged, held
        taken = [s for s in tagged if self.rule.follows(s.session)]
        self.batch.samples += [(at, every_s, self.rule.every_nth_session, session) for session in taken]
        self._meet(taken)
        waited_for = {number for session in answer.sessions for number in session.waits_for()}
        holding = [one for one in held if answer.at_us - one.idle_since_us >= IDLE_US or one.session in waited_for]
        self.batch.holders += [(at, every_s, one) for one in holding]
        self._meet(holding)
        self._clock(answer.at_us, now_us)

    def _finished(self, now_us: int, threshold_s: float) -> None:
        if not self._is_due("executions", now_us, EXECUTIONS_S, self.phase_us):
            return
        kept = self.rule.literals == "kept"
        found = self.backoff.timed(lambda: self.probe.executions(self.executions_until_us, threshold_s, kept))
        taken = [e for e in found.executions if self._takes(e)]
        self.batch.executions += taken
        if kept:
            self.plans.values_seen(taken, self.registry)
        self.executions_until_us = found.until_us
        self._meet(taken)

    def _takes(self, row: p.Session | p.Holder | p.ExecutionRecord) -> bool:
        only = self.rule.only
        text = row.text or self.registry.texts.get(row.statement_key or "", "") if only.reads_texts else ""
        return only.takes(row, text)

    def _meet(self, rows: Iterable[p.Session | p.Holder | p.ExecutionRecord]) -> None:
        for row in rows:
            seen = Seen.of(row)
            if seen is not None and seen.key not in self.registry.known:
                self.batch.texts_seen[seen.key] = seen

    def _is_due(self, what: str, now_us: int, every_s: float, phase_us: int = 0) -> bool:
        step = int(every_s * 1e6)
        slot = (now_us - phase_us) // step * step
        if slot <= self._due.get(what, -1):
            return False
        self._due[what] = slot
        return True

    def _failed(self, now_us: int, reason: str) -> None:
        self.error = reason
        self._notice("gap", now_us, reason, max(self.seen_us, self.until_us) or now_us)
        self._forget()
        self._due.pop("counters", None)

    def _forget(self) -> None:
        self.work.forget()
        self.objects.intervals.forget()

    def _clock(self, server_us: int, now_us: int) -> None:
        self.skew_s = (server_us - now_us) / 1e6
        known = self._spans.open.get("clock")
        said = known.reason if known else f"the server's clock is {self.skew_s:+.0f} s from ours; our clock is used"
        self._notice("clock", now_us, said if abs(self.skew_s) > SKEW_LIMIT_S else "")

    def _minute(self, now_us: int) -> None:
        """Counters, statement counters, messages and settings, and what differs since the last minute."""
        ask, probe = self.backoff.timed, self.probe
        last = max(self.seen_us, self.until_us)
        identity = ask(probe.identity)
        self.abilities, lasting = set(identity.abilities), (identity.role, identity.engine_version, identity.abilities)
        if lasting != self._identity:
            self.batch.identity, self._identity = identity, lasting
        counted: dict[str, float] = {}
        if "statements" in self.abilities:
            answer = ask(probe.statements)
            self.batch.counters_seen = answer.statements
            self.plans.asking.database = self.objects.database
            self.plans.minute(answer.statements, "explain" in self.abilities and self.rule.plans > 0, now_us)
            least = self.rule.weighty_from if self.rule.mode == "weighty" else 0.0
            counted = self.work.of_statements(answer, least, now_us)
        if "counters" in self.abilities:
            counters = ask(probe.counters)
            self.batch.connections += [(now_us // MINUTE_US * MINUTE_US, one) for one in counters.connections]
            host = ask(probe.host)
            facts = host.model_dump(exclude={"volumes"})
            if facts != self._host:
                self.batch.host, self._host = host, facts
            used = {f"volume_used.{v.name}": float(v.used_bytes) for v in host.volumes}
            levels = (
                counters.levels
                | used
                | self.objects.levels
                | self._members()
                | self._beside(now_us)
                | self.backoff.taken()
            )
            if not self.work.server(counters, levels, counted, self.until_us, now_us) and (
                last and "gap" not in self._spans.open and now_us - last > SHORTEST_GAP_US
            ):
                self.batch.troubles.append(Trouble("gap", last, now_us, NOT_RUNNING))
            self.until_us = now_us
        if "messages" in self.abilities:
            found = ask(lambda: probe.messages(self.messages_until_us))
            self.batch.messages += found.messages
            self.messages_until_us = found.until_us
        if "pins" in self.abilities:
            self.batch.pins = self.pins.look("explain" in self.abilities, now_us) or self.batch.pins
        if "settings" in self.abilities:
            settings = ask(probe.settings)
            if settings.settings != self._settings:
                self.batch.settings, self._settings = settings, settings.settings

    def _count_objects(self, now_us: int) -> None:
        """Tables, indexes and sequences, and the schema when it changed. What waits for a lock, such as a table's size, is left out,
        and the rest goes on.
        """
        try:
            changed = self.objects.look(self.abilities, now_us)
            self.batch.schema = changed or self.batch.schema
        except p.ProbeError as error:
            self._notice("tables not counted", now_us, str(error))
            return
        self._notice("tables not counted", now_us, "")
        try:
            facts = self.planner.look(changed is not None, self.rule.literals == "kept", now_us)
            self.batch.planner = facts or self.batch.planner
        except p.ProbeError as error:
            self._notice("planner not read", now_us, str(error))
            return
        if self.planner.known:
            self._notice("planner not read", now_us, "")

    def _members(self) -> dict[str, float]:
        """Who is seen of its cluster, itself among them; a server without any other says nothing."""
        if "members" not in self.abilities:
            return {}
        seen = {one.name for one in self.backoff.timed(self.probe.members).members[:MOST_MEMBERS]}
        self._members_known |= seen
        if not self._members_known:
            return {}
        return {"members_seen": 1.0 + len(seen)} | {
            f"member_seen.{name}": float(name in seen) for name in self._members_known
        }

    def _beside(self, now_us: int) -> dict[str, float]:
        """Figures scraped beside the server; an address that fails is marked as a part that is not recorded."""
        if self.scraper is None:
            return {}
        found, wrong = self.scraper.levels(now_us)
        self._notice("not scraped", now_us, wrong)
        return found

    def close(self) -> None:
        self.probe.close()


def _tagged(session: p.Session) -> p.Session:
    """With service and route as the comment of its text says them, where it does."""
    tags = comment_tags(session.text)
    if tags is NOTHING:
        return session
    return session.model_copy(update={"service": tags.service or session.service, "route": tags.route})
