"""Long transaction: one that works has been open for long, and holds back what cleans up behind it; or one that nobody has any more."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.remedies.remedy import Remedy

OLD_S, VERY_OLD_S = 600.0, 3 * 3600.0
LEFT_S = 300.0  # a prepared transaction is ended within seconds
TIMES_USUAL = 3.0
SAME = 0.8  # of the oldest age: then it is the same transaction


class LongTransaction(Unasked):
    """The oldest transaction works for ten minutes and longer, and is far older than usual."""

    cause = "long_transaction"
    needs: tuple[Source, ...] = ("figures",)
    prepared, old_s = False, OLD_S
    words = "A transaction has been open for long"

    def examine(self, evidence: Evidence) -> list[Finding]:
        oldest, prepared, dead = (
            figure_of(evidence, n) for n in ("oldest_transaction_s", "prepared_transactions", "dead_rows_share")
        )
        if oldest is None or oldest.last is None or oldest.last < self.old_s:
            return []
        if oldest.typical is not None and oldest.last < TIMES_USUAL * oldest.typical.high:
            return []
        left = prepared.last or 0.0 if prepared is not None else 0.0
        if (left > 0) != self.prepared:
            return []
        facts = [Fact("oldest transaction", oldest.last, "s", "counters", oldest.usual)]
        if dead is not None:
            facts.append(Fact("dead rows of the worst table", dead.last or dead.value, "share", "counters"))
        if left:
            facts.append(Fact("prepared transactions", left, "", "counters"))
        grade: Grade = "plan" if left or oldest.last >= VERY_OLD_S else "note"
        holder, subject = evidence.oldest, Subject("server", evidence.server)
        if holder is not None and not left and holder.age_s > SAME * oldest.last:
            subject = Subject("session", str(holder.session), holder.service or holder.user)
            if holder.fingerprint:
                subject = Subject("statement", holder.fingerprint, holder.text)
            facts.append(Fact("open by the session samples", holder.age_s, "s", "session samples"))
        return [
            warns(
                self.cause,
                self.words,
                subject,
                grade,
                facts,
                self.remedies(),
                0.8,
                signal=Signal("moment", at_us=evidence.focus.until_us - int(oldest.last * 1e6)),
            )
        ]

    def remedies(self) -> list[Remedy]:
        return [
            remedy("talk", "Let the report commit in steps, or run it where nobody writes"),
            remedy("operation", "End its session", "What it has done is lost."),
        ]


class PreparedTransactionLeft(LongTransaction):
    """No session has it: it was prepared to commit on several servers, and nobody ended it."""

    cause = "prepared_transaction_left"
    prepared, old_s = True, LEFT_S
    words = "A transaction that was prepared is not ended by anyone"

    def remedies(self) -> list[Remedy]:
        return [
            remedy(
                "operation",
                "Ask its coordinator whether it committed, and end it likewise",
                "Ended the wrong way, two servers disagree.",
            )
        ]
