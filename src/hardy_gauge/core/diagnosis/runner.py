"""Every rule asked about one server's evidence: found, silent because …, or unknown because ….

"Unknown" is an answer of its own: a diagnosis that could not look must not read as health.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.plans.model import Plan


class CannotTell(Exception):
    """Raised by a rule that finds out only while looking that it cannot: the message says why."""


class Rule(Protocol):
    """One cause. ``needs`` are the sources without which it can say nothing."""

    cause: str
    needs: tuple[Source, ...]

    def examine(self, evidence: Evidence) -> list[Finding]:
        """All findings of this cause, perhaps with a question; empty when it does not show."""
        ...

    def confirm(self, finding: Finding, answer: Plan | None) -> Finding | None:
        """The finding after its question was answered, None when it is withdrawn; ``answer`` is None when the server
        could not answer.
        """
        ...


@dataclass(frozen=True)
class NotKnown:
    """A cause that could not be looked for, and why."""

    cause: str
    why: str


@dataclass(frozen=True)
class Diagnosis:
    """What was found, in the order of the rules; causes that do not show; causes that could not be looked for."""

    findings: list[Finding]
    silent: list[str]
    unknown: list[NotKnown]


def diagnose(evidence: Evidence, rules: Sequence[Rule]) -> Diagnosis:
    """Ask every rule; questions stay open in the findings for a worker to ask."""
    findings: list[Finding] = []
    silent: list[str] = []
    unknown: list[NotKnown] = []
    for rule in rules:
        missing = evidence.missing(rule.needs)
        if missing is not None:
            unknown.append(NotKnown(rule.cause, missing.why))
            continue
        try:
            found = rule.examine(evidence)
        except CannotTell as why:
            unknown.append(NotKnown(rule.cause, str(why)))
            continue
        except Exception as error:
            # one rule that fails hides no other, and is not taken for health
            unknown.append(NotKnown(rule.cause, f"its rule failed ({type(error).__name__})"))
            continue
        findings += found
        if not found:
            silent.append(rule.cause)
    return Diagnosis(findings, silent, unknown)
