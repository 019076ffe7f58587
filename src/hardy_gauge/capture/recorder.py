"""Recording one server by its rule: what is asked at each tick, what is kept until the next write, what went wrong.

A call that fails costs this server a gap, and nothing else. What was gathered is kept until ``written`` says that it is stored.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from hardy_gauge.capture.convert import Directory, Seen, key_of
from hardy_gauge.capture.intervals import Intervals
from hardy_gauge.capture.pace import Pace
from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.scrape import Scraper
from hardy_gauge.probes import protocol as p

log = logging.getLogger(__name__)
SKEW_LIMIT_S = 30.0
SHORTEST_GAP_US = 5_000_000
EXECUTIONS_S = 10.0
STEP_US = 2_000_000


@dataclass
class Trouble:
    """A gap that is open or closed, a reset, a clock that is off, or a part that is not recorded."""

    kind: str
    from_us: int
    to_us: int | None
    reason: str
    row_id: int | None = None


@dataclass
class Recorder:
    """One server's capture. ``tick`` asks what is due; ``now_us`` is the collector's clock."""

    server_id: int
    probe: p.Probe
    directory: Directory
    abilities: set[str]
    rule: CaptureRule
    executions_until_us: int
    messages_until_us: int
    pace: Pace = field(default_factory=Pace)
    scraper: Scraper | None = None
    samples: list[tuple[int, float, int, p.Session]] = field(default_factory=list)
    executions: list[p.ExecutionRecord] = field(default_factory=list)
    changes: list[p.LogMessage] = field(default_factory=list)
    settings: p.Settings | None = None
    schema: p.Schema | None = None
    troubles: list[Trouble] = field(default_factory=list)
    counters_seen: list[p.StatementCounter] = field(default_factory=list)
    texts_seen: dict[str, Seen] = field(default_factory=dict)
    error: str = ""
    seen_us: int = 0
    skew_s: float = 0.0
    until_us: int = 0
    _open: dict[str, Trouble] = field(default_factory=dict)
    _due: dict[str, int] = field(default_factory=dict)
    _ticked_us: int = 0

    def __post_init__(self) -> None:
        self.work = Intervals(lambda *what: self.troubles.append(Trouble(*what)))

    def tick(self, now_us: int) -> None:
        """Ask what is due. A failing call opens a gap; the first good one afterwards closes it."""
        with self.pace.working():
            self._tick(now_us)

    def _tick(self, now_us: int) -> None:
        rule = self.rule
        self._stepped(now_us)
        self._notice("paused", now_us, f"rule {rule.name}: nothing new is recorded" if rule.mode == "reading" else "")
        if rule.mode == "reading":
            self.work.forget()
            self._due.clear()
            self.executions_until_us = self.until_us = now_us
            return
        self._notice("not sampled", now_us, "" if rule.sample else f"rule {rule.name}: sessions are not looked at")
        self._notice("partial", now_us, partly(rule))
        try:
            if "sessions" in self.abilities and rule.sample:
                self._look(now_us, rule.sample)
            if self._is_due("counters", now_us, rule.counters):
                self._minute(now_us)
            if "executions" in self.abilities and rule.threshold is not None:
                self._finished(now_us, rule.threshold)
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
            self.troubles.append(Trouble("clock", now_us, self._ticked_us, reason))
        self._ticked_us = now_us

    def look_again(self, now_us: int) -> None:
        """A tick at which everything is due."""
        self._due.clear()
        self.tick(now_us)

    def _look(self, now_us: int, sample_s: float) -> None:
        """One look at the sessions; each stands for the time until the next."""
        every_s = sample_s * self.pace.factor
        if not self._is_due("sessions", now_us, every_s):
            return
        before = self.pace.seconds
        answer = self.pace.timed(self.probe.sessions)
        self.pace.look(self.pace.seconds - before, sample_s)
        words = f"it answers slowly, so sessions are looked at every {sample_s * self.pace.factor:g} s"
        self._notice("slowed", now_us, words if self.pace.factor > 1 else "")
        at = now_us // 1_000_000 * 1_000_000
        taken = [s for s in answer.sessions if self.rule.follows(s.session) and self._takes(s)]
        self.samples += [(at, every_s, self.rule.every_nth_session, session) for session in taken]
        self._meet(taken)
        self._clock(answer.at_us, now_us)

    def _finished(self, now_us: int, threshold_s: float) -> None:
        if not self._is_due("executions", now_us, EXECUTIONS_S):
            return
        kept = self.rule.literals == "kept"
        found = self.pace.timed(lambda: self.probe.executions(self.executions_until_us, threshold_s, kept))
        taken = [e for e in found.executions if self._takes(e)]
        self.executions += taken
        self.executions_until_us = found.until_us
        self._meet(taken)

    def _takes(self, row: p.Session | p.ExecutionRecord) -> bool:
        only = self.rule.only
        text = row.text or self.directory.texts.get(row.statement_key or "", "") if only.reads_texts else ""
        return only.takes(row, text)

    def _meet(self, rows: Iterable[p.Session | p.ExecutionRecord]) -> None:
        for row in rows:
            seen = Seen.of(row)
            if seen is not None and seen.key not in self.directory.known:
                self.texts_seen[seen.key] = seen

    def _is_due(self, what: str, now_us: int, every_s: float) -> bool:
        step = int(every_s * 1e6)
        slot = now_us // step * step
        if slot <= self._due.get(what, -1):
            return False
        self._due[what] = slot
        return True

    def _notice(self, kind: str, now_us: int, reason: str, since_us: int | None = None) -> None:
        """Begin a span of this kind when there is a reason, and end it when there is none or another."""
        known = self._open.get(kind)
        over = known is not None and known.reason != reason and (kind != "gap" or not reason)
        if known is not None and over:
            known.to_us = now_us
            self.troubles.append(self._open.pop(kind))
        if reason and kind not in self._open:
            self._open[kind] = Trouble(kind, now_us if since_us is None else since_us, None, reason)
            self.troubles.append(self._open[kind])

    def _failed(self, now_us: int, reason: str) -> None:
        self.error = reason
        self._notice("gap", now_us, reason, max(self.seen_us, self.until_us) or now_us)
        self.work.forget()
        self._due.pop("counters", None)

    def _clock(self, server_us: int, now_us: int) -> None:
        self.skew_s = (server_us - now_us) / 1e6
        known = self._open.get("clock")
        said = known.reason if known else f"the server's clock is {self.skew_s:+.0f} s from ours; our clock is used"
        self._notice("clock", now_us, said if abs(self.skew_s) > SKEW_LIMIT_S else "")

    def _minute(self, now_us: int) -> None:
        """Counters, statement counters, messages, settings and schema, and what differs since the last minute."""
        ask, probe = self.pace.timed, self.probe
        self.abilities = set(ask(probe.identity).abilities)
        counted: dict[str, float] = {}
        if "statements" in self.abilities:
            answer = ask(probe.statements)
            self.counters_seen = answer.statements
            least = self.rule.weighty_from if self.rule.mode == "weighty" else 0.0
            counted = self.work.of_statements(answer, least, now_us)
        if "counters" in self.abilities:
            counters = ask(probe.counters)
            used = {f"volume_used.{v.name}": float(v.used_bytes) for v in ask(probe.host).volumes}
            levels = counters.levels | used | self._beside(now_us) | self.pace.taken()
            if not self.work.server(counters, levels, counted, self.until_us, now_us) and (
                self.until_us and "gap" not in self._open and now_us - self.until_us > SHORTEST_GAP_US
            ):
                self.troubles.append(Trouble("gap", self.until_us, now_us, "capture was not running"))
            self.until_us = now_us
        if "messages" in self.abilities:
            found = ask(lambda: probe.messages(self.messages_until_us))
            self.changes += [m for m in found.messages if m.change]
            self.messages_until_us = found.until_us
        if "settings" in self.abilities:
            self.settings = ask(probe.settings)
        if "schema" in self.abilities:
            self.schema = ask(probe.schema)

    def _beside(self, now_us: int) -> dict[str, float]:
        """Figures scraped beside the server; an address that fails is marked as a part that is not recorded."""
        if self.scraper is None:
            return {}
        found, wrong = self.scraper.levels(now_us)
        self._notice("not scraped", now_us, wrong)
        return found

    def close(self) -> None:
        self.probe.close()
        if self.scraper is not None:
            self.scraper.close()

    def frames(self) -> dict[str, pl.DataFrame]:
        """The rows gathered since they were last written, in the form that is stored."""
        frames: dict[str, pl.DataFrame] = {}
        if self.work.metrics:
            minutes = [{"at_us": at, "span_s": s, **values} for at, s, values in self.work.metrics]
            frames["metric"] = pl.DataFrame(minutes, infer_schema_length=None)
        if self.work.statements:
            rows: list[dict[str, Any]] = [
                {"at_us": at, "span_s": s, "statement_key": c.key, "plan_key": c.plan_key, **values}
                for at, s, c, values in self.work.statements
            ]
            frame = _reported(rows)
            if not self.rule.waits:
                frame = frame.select(c for c in frame.columns if not c.startswith("wait."))
            frames["statement"] = self.directory.with_statements(frame)
        if self.samples:
            frames["sample"] = self._sampled()
        if self.executions:
            hidden = {"text"} if self.rule.literals == "replaced" else set()
            rows = [e.model_dump(exclude=hidden) | {"statement_key": key_of(e)} for e in self.executions]
            frames["execution"] = self.directory.with_statements(_reported(rows), named=False)
        return frames

    def written(self) -> None:
        """Everything gathered is in the store for good."""
        self.work.metrics, self.work.statements, self.samples, self.executions = [], [], [], []
        self.troubles, self.changes, self.texts_seen = [], [], {}
        self.settings = self.schema = None

    def _sampled(self) -> pl.DataFrame:
        """With ``weight`` where a sample stands for more than a second, and ``one_in`` where sessions are left out."""
        rows = [
            {"at_us": at, "weight": every_s * one_in, "one_in": one_in, "session": s.session, "statement_key": key_of(s), "user": s.user,
             "wait_event": s.wait_event if self.rule.waits else "not recorded", "service": s.service,
             "database": s.database}
            for at, every_s, one_in, s in self.samples
        ]  # fmt: skip
        frame = self.directory.with_statements(_reported(rows), named=False)
        frame = frame.drop(name for name in ("weight", "one_in") if (frame[name] == 1).all())
        return self.directory.with_families(frame)


def partly(rule: CaptureRule) -> str:
    """What a rule leaves out of what is recorded, in words; empty when nothing."""
    left = []
    if rule.mode == "weighty":
        left.append(f"only statements of {rule.weighty_from * 1e3:g} ms a call or more")
    if rule.only != type(rule.only)():
        chosen = [name for name, value in rule.only.model_dump().items() if value]
        left.append(f"only some {' and '.join(chosen)}")
    if rule.every_nth_session > 1:
        left.append(f"one session in {rule.every_nth_session}, which stands for all")
    if not rule.waits:
        left.append("no waits")
    return f"rule {rule.name}: {', '.join(left)}" if left else ""


def _reported(rows: list[dict[str, Any]]) -> pl.DataFrame:
    """The rows without the columns that the server reports nothing in, but for the keys."""
    frame = pl.DataFrame(rows, infer_schema_length=None)
    keys = [pl.col(c).cast(pl.String) for c in ("statement_key", "plan_key") if c in frame.columns]
    frame = frame.with_columns(*keys)
    return frame.drop([name for name, kind in frame.schema.items() if kind == pl.Null])
