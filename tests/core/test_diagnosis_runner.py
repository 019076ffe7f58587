"""The runner: a rule that fails is said, and hides no other; what asks for something comes first."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.diagnosis.building import Unasked, grade_by_days, grade_by_failures, warns
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Subject
from hardy_gauge.core.diagnosis.roots import arranged
from hardy_gauge.core.diagnosis.rules import RULES
from hardy_gauge.core.diagnosis.runner import diagnose
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.time.span import Span

NOTHING = Evidence("a", "test", Span(0, 60_000_000), 60.0, Unknown("none"), Unknown("none"), Unknown("none"))


@dataclass
class Says(Unasked):
    cause: str
    grade: Grade | None
    needs: tuple[Source, ...] = ()

    def examine(self, evidence: Evidence) -> list[Finding]:
        if self.grade is None:
            raise ZeroDivisionError
        return [warns(self.cause, self.cause, Subject("server", evidence.server), self.grade, [], [], 0.5)]


def test_a_rule_that_fails_is_said_and_hides_no_other() -> None:
    found = diagnose(NOTHING, [Says("broken", None), Says("small", "note"), Says("large", "act")])
    assert [f.cause for f in found.findings] == ["small", "large"]
    assert [f.cause for f in arranged(found.findings)] == ["large", "small"]
    assert [(one.cause, one.why) for one in found.unknown] == [("broken", "its rule failed (ZeroDivisionError)")]


def test_of_a_server_that_reports_nothing_every_cause_is_unknown() -> None:
    """Silence is never taken for health."""
    found = diagnose(NOTHING, RULES)
    assert not found.findings and found.silent == ["server_down"], "it answered"
    assert {one.cause for one in found.unknown} == {rule.cause for rule in RULES} - {"server_down"} and len(RULES) >= 45
    assert all("failed" not in one.why for one in found.unknown)


def test_every_cause_has_one_rule() -> None:
    causes = [rule.cause for rule in RULES]
    assert len(set(causes)) == len(causes)


def test_grades_follow_from_what_is_left_and_what_fails() -> None:
    assert [grade_by_days(days) for days in (0.0, 3.0, 20.0, 80.0, 400.0)] == ["act", "act", "plan", "note", "fine"]
    assert [grade_by_failures(share) for share in (0.0, 0.02, 0.5)] == ["note", "plan", "act"]
