"""Hot row: calls of one statement wait for rows that other calls of it keep, each for a short time."""

from __future__ import annotations

from hardy_gauge.core.activity.waiting import IDLE
from hardy_gauge.core.diagnosis.building import Unasked, costs, figure_of, remedy, statement_of
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, Unknown

LEAST_SHARE = 0.05  # of the server's time
LEAST_SESSIONS = 0.05
LOCKED = 0.15  # of the statement's own time
LONG_HOLDER = 0.5  # of the waiting that is for sessions which do nothing, from which on it is not the row


class HotRow(Unasked):
    """Many wait, those that hold do so shortly and are at work."""

    cause = "hot_row"
    needs: tuple[Source, ...] = ("samples", "waiting")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, waiting = evidence.samples, evidence.waiting
        assert isinstance(samples, Samples) and not isinstance(waiting, Unknown)
        prepared = figure_of(evidence, "prepared_transactions")
        if prepared is not None and (prepared.last or 0.0) > 0:
            return []  # rows that no session keeps are not hot
        idle = sum(root.waited_s for root in waiting if root.doing == IDLE)
        every = sum(root.waited_s for root in waiting)
        if every and idle / every > LONG_HOLDER:
            return []
        found = []
        for fingerprint, locked in samples.row_lock_by_statement.items():
            spent = samples.by_statement.get(fingerprint)
            if (
                spent is None
                or locked < max(LEAST_SHARE * samples.active_sessions, LEAST_SESSIONS)
                or locked < LOCKED * spent.active_sessions
            ):
                continue
            work = statement_of(evidence, fingerprint)
            part = locked / spent.active_sessions
            facts = [Fact("of its time in waiting for rows", part, "share", "session samples")]
            if work is not None and work.calls:
                typical = work.typical_time_per_call_s
                facts.append(
                    Fact(
                        "time per call",
                        work.time_s / work.calls,
                        "s",
                        "statement counters",
                        typical.value if typical else None,
                    )
                )
            remedies = [
                remedy("rewrite", "Change the row as the last step before the commit, or gather changes and write them together",
                       "What reads the row in between sees it later."),
                remedy("rewrite", "Spread the row over several and add them up when they are read", "Reading becomes a sum."),
            ]  # fmt: skip
            text = work.text if work is not None else ""
            found.append(
                costs(
                    evidence, self.cause, "Calls of one statement wait for the same rows", Subject("statement", fingerprint, text),
                    Sampled(locked, spent.low * part, spent.high * part), facts, remedies, 0.8, Signal("family", "row lock"),
                )
            )  # fmt: skip
        return found
