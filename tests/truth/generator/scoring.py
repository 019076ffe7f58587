"""How well causes are named: each case played, diagnosed and compared with what was put there."""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from practice_fleet.scenario.document import Scenario
from tests.truth.generator.drawing import Case
from tests.truth.playing import diagnosed

ASKING = ("act", "plan")


@dataclass(frozen=True)
class Outcome:
    """What came of a case: the causes named in their order, the place of the right one (0 is first, None: missed)."""

    case: Case
    causes: tuple[tuple[str, str, str], ...]  # cause, grade, subject
    place: int | None
    right_subject: bool
    onset_off_s: float | None

    @property
    def false_alarms(self) -> int:
        return sum(grade in ASKING for _, grade, _ in self.causes)


def outcome_of(case: Case) -> Outcome:
    with tempfile.TemporaryDirectory() as folder:
        scenario = Scenario.model_validate(case.document)
        known = diagnosed(scenario, [case.server], Path(folder), case.beside, case.now_us)[case.server]
    found = known.findings
    said = tuple((f.cause, f.grade, f.subject.text or f.subject.name) for f in found)
    place = next((n for n, one in enumerate(found) if one.cause in case.names), None)
    right, off = False, None
    if place is not None:
        mine = found[place]
        text = " ".join(f"{mine.subject.name} {mine.subject.text} {mine.title}".split())
        right = any(part in text for part in case.about)
        off = None if not case.onset else (known.since_us[mine.cause] - case.began_us) / 1e6
    return Outcome(case, said, place, right, off)


def confusion(outcomes: Iterable[Outcome]) -> dict[str, Counter[str]]:
    """Of each cause that was not first, what was named first instead."""
    found: dict[str, Counter[str]] = {}
    for one in outcomes:
        if one.place != 0:
            found.setdefault(one.case.label, Counter())[one.causes[0][0] if one.causes else "nothing"] += 1
    return found
