"""One server examined at a moment: rules over the last hour and over what is unusual now, questions asked, roots named, onsets told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from hardy_gauge.core.diagnosis.finding import Finding, PlanQuestion
from hardy_gauge.core.diagnosis.life import LOOK_BACK_US
from hardy_gauge.core.diagnosis.roots import arranged
from hardy_gauge.core.diagnosis.rules import RULES
from hardy_gauge.core.diagnosis.runner import NotKnown, diagnose
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.evidence import evidence_of
from hardy_gauge.queries.onset import onset_us
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import is_lab

# what is unusual now is looked at by itself, where it has gone on for so long, and not for nearly the whole hour
SHORTEST_US, LONGEST_US = 8 * MINUTE_US, 50 * MINUTE_US
Answering = Callable[[PlanQuestion], Plan | None]


@dataclass(frozen=True)
class Examined:
    """Findings, roots first by importance, each with when it began; and causes that could not be looked for."""

    findings: list[tuple[Finding, int]]
    unknown: list[NotKnown]


def examine(reader: Reader, server: Server, now_us: int, answer: Answering) -> Examined:
    """The findings of a server over the hour before ``now_us``; ``answer`` asks the server, or says None."""
    shift = reader.shift(server.id, now_us)
    spans = [Span(now_us - LOOK_BACK_US, now_us)]
    if shift is not None and SHORTEST_US <= now_us - shift.since_us <= LONGEST_US:
        spans.insert(0, Span(shift.since_us, now_us))
    found: dict[tuple[str, str], Finding] = {}
    unknown: dict[str, NotKnown] = {}
    for span in spans:
        known = diagnose(evidence_of(reader, server, Window(span, following=True)), RULES)
        for finding in known.findings:
            found.setdefault((finding.cause, finding.subject.name), replace(finding, looked_s=span.seconds))
        unknown |= {one.cause: one for one in known.unknown}
    kept = arranged([one for finding in found.values() if (one := _confirmed(finding, answer)) is not None])
    if is_lab(server):  # what is tried there is no trouble
        kept = [replace(one, grade="note") if one.share else one for one in kept]
    shifted = shift.since_us if shift is not None else now_us - LOOK_BACK_US
    begun = []
    for finding in kept:
        at = onset_us(reader, server, finding.signal, now_us)
        begun.append((finding, at if at is not None else shifted if finding.share else now_us))
    return Examined(begun, list(unknown.values()))


def nobody(_: PlanQuestion) -> Plan | None:
    """There is no server to ask about this moment."""
    return None


def _confirmed(finding: Finding, answer: Answering) -> Finding | None:
    """The finding after its question was answered; None where it is withdrawn."""
    if finding.question is None:
        return finding
    rule = next(one for one in RULES if one.cause == finding.cause)
    return rule.confirm(finding, answer(finding.question))
