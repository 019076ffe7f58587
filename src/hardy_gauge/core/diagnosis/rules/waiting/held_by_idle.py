"""Idle transaction, and lock chain: the root of a tree of waiting does nothing in an open transaction.

Where calls of other statements wait for those that wait, it is a chain. Distinguished from a long
transaction by that its session does nothing, from a hot row by that the holder does not change.
"""

from __future__ import annotations

from hardy_gauge.core.activity.waiting import IDLE
from hardy_gauge.core.diagnosis.building import Unasked, change_of, costs, remedy, setting_of, waited
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Samples, Source, Unknown
from hardy_gauge.core.evidence.sources import Waiting
from hardy_gauge.core.remedies.remedy import Remedy

LEAST_SHARE = 0.02
LEAST_WAITED_S = 10.0
LIMIT_S = 60  # far above what an application needs between two calls; common practice
CHAIN = 2  # sessions one behind the other, without the one that holds


class _HeldByIdle(Unasked):
    cause = ""
    needs: tuple[Source, ...] = ("samples", "waiting")

    def mine(self, root: Waiting) -> bool:
        raise NotImplementedError

    def title(self, root: Waiting) -> str:
        raise NotImplementedError

    def examine(self, evidence: Evidence) -> list[Finding]:
        """A finding for each session that does nothing and costs others a share of the server's time."""
        samples, waiting = evidence.samples, evidence.waiting
        assert isinstance(samples, Samples) and not isinstance(waiting, Unknown)
        return [
            self._one(evidence, root)
            for root in waiting
            if root.doing == IDLE
            and self.mine(root)
            and root.waited_s >= LEAST_WAITED_S
            and root.waited_s >= LEAST_SHARE * samples.active_sessions * samples.seconds
        ]

    def _one(self, evidence: Evidence, root: Waiting) -> Finding:
        facts = [
            Fact("waited for it", root.waited_s, "s", "session samples"),
            Fact("sessions that waited at once", float(root.most), "sessions", "session samples"),
            Fact("sessions one behind the other", float(root.depth), "sessions", "session samples"),
        ]
        if root.idle_s is not None:
            facts.append(Fact("idle at most", root.idle_s, "s", "session samples"))
        if root.transaction_s is not None:
            facts.append(Fact("transaction open at most", root.transaction_s, "s", "session samples"))
        who = root.service or root.user or "its application"
        remedies = [
            remedy("talk", f"Let {who} commit before it does anything else", "What it changed stays locked until its transaction ends."),
            _limit(evidence),
            remedy("operation", f"End session {root.session} if it is still there", "What it has done in its transaction is taken back."),
        ]  # fmt: skip
        subject = (
            Subject("statement", root.fingerprint, root.text)
            if root.fingerprint
            else Subject("session", str(root.session), who)
        )
        return costs(
            evidence,
            self.cause,
            self.title(root),
            subject,
            waited(evidence, root.waited_s),
            facts,
            remedies,
            0.9,
            of_others=True,
        )


def _limit(evidence: Evidence) -> Remedy:
    words = "End transactions that idle for longer than the application ever needs"
    caution = "Who is ended must begin its transaction again; set it well above the longest pause that is meant."
    setting = setting_of(evidence, "idle_transaction_timeout_s")
    if setting is None or setting.value not in (0, 0.0, "0"):
        return remedy("setting change", words, caution)
    value = LIMIT_S * (1000 if (setting.unit or "").lower() == "ms" else 1)
    return change_of(evidence, setting, value, words, caution)


def _is_chain(root: Waiting) -> bool:
    """Calls of other statements wait behind those that wait: a queue for one row is one behind the other too, of one statement."""
    return root.depth >= CHAIN and root.kinds > 1


class IdleTransaction(_HeldByIdle):
    """Others wait for rows of a session that does nothing."""

    cause = "idle_transaction"

    def mine(self, root: Waiting) -> bool:
        return not _is_chain(root)

    def title(self, root: Waiting) -> str:
        return f"Sessions of {root.service or root.user or 'an application'} idle in a transaction and keep rows that others want"


class LockChain(_HeldByIdle):
    """Those that wait keep rows of their own, and others wait for them."""

    cause = "lock_chain"

    def mine(self, root: Waiting) -> bool:
        return _is_chain(root)

    def title(self, root: Waiting) -> str:
        return f"A chain of waiting begins at a session of {root.service or root.user or 'an application'} that idles in a transaction"
