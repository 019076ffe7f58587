"""How well causes are named: each case played, diagnosed and compared with what was put there; the sheet of scores."""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from practice_fleet.scenario.document import Scenario
from tests.truth.generator.drawing import Case
from tests.truth.generator.trying import Effect, effect_of
from tests.truth.playing import diagnosed

ASKING = ("act", "plan")
ONSET_S = 180.0


@dataclass(frozen=True)
class Outcome:
    """What came of a case: the causes named in their order with grade and subject, the place of the right one (0 is first, None:
    missed), whether its subject is right, and how far its onset is off (None: it has none that shows); ``second_place`` is that of a
    second cause.
    """

    case: Case
    causes: tuple[tuple[str, str, str], ...]
    place: int | None
    right_subject: bool
    onset_off_s: float | None
    effect: Effect | None = None
    second_place: int | None = None

    @property
    def false_alarms(self) -> int:
        """Findings that ask for something, where nothing is wrong."""
        return sum(grade in ASKING for _, grade, _ in self.causes)


def outcome_of(case: Case, effects: bool = False) -> Outcome:
    """Play a case and diagnose it as the product does; with ``effects`` what is named right is tried."""
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
    effect = None
    if effects and place is not None and right:
        effect = effect_of(case, found[place])
    second = next((n for n, one in enumerate(found) if one.cause in case.second), None)
    return Outcome(case, said, place, right, off, effect, second)


def share(part: int, whole: int) -> str:
    return f"{part / whole:.1%}" if whole else "none"


def sheet_of(outcomes: Sequence[Outcome], pairs: Sequence[Outcome], quiet: Sequence[Outcome], command: str) -> str:
    """docs/diagnosis-scores.md."""
    parts = [*_summary(outcomes, quiet, command), *_by_cause(outcomes), *_pairs(pairs), *_quiet(quiet)]
    return "\n".join(parts) + "\n"


def _pairs(pairs: Sequence[Outcome]) -> Iterator[str]:
    if not pairs:
        return
    n = len(pairs)
    first = sum(0 in (one.place, one.second_place) for one in pairs)
    both = sum(one.place is not None and one.second_place is not None for one in pairs)
    three = sum(one.place in (0, 1, 2) and one.second_place in (0, 1, 2) for one in pairs)
    yield f"""## Two causes at once

On {n} servers a cause that takes time and one that takes none yet: one of the two is named first on {share(first, n)}, both are found on
{share(both, n)}, both among the first three on {share(three, n)}.

| causes | place of the one that takes time | of the other | named first |
|---|---|---|---|"""
    for one in pairs:
        places = ["missed" if place is None else str(place + 1) for place in (one.place, one.second_place)]
        yield f"| {one.case.label} | {places[0]} | {places[1]} | {one.causes[0][0] if one.causes else 'nothing'} |"
    yield ""


def _summary(outcomes: Sequence[Outcome], quiet: Sequence[Outcome], command: str) -> Iterator[str]:
    n = len(outcomes)
    onsets = [abs(one.onset_off_s) <= ONSET_S for one in outcomes if one.onset_off_s is not None]
    alarms = sum(one.false_alarms for one in quiet)
    yield f"""# How well causes are named

Made by `{command}`. Worlds of other shapes than the demo's are drawn from a seed (`tests/truth/generator/`): tables, statements,
machines, rhythms, servers; in each a cause of some size, begun some time ago, at some moment of the week. The product sees them
through a probe alone and diagnoses the present. A case whose cause changes next to nothing in its world is drawn again.

| what | measured | of | aim |
|---|---|---|---|
| named first | {share(sum(one.place == 0 for one in outcomes), n)} | {n} cases | 95% |
| among the first three | {share(sum(one.place is not None and one.place < 3 for one in outcomes), n)} | {n} cases | 98% |
| the right object or statement | {share(sum(one.right_subject for one in outcomes), n)} | {n} cases | 95% |
| onset within 3 minutes, where it shows | {share(sum(onsets), len(onsets))} | {len(onsets)} cases | 90% |
| false alarms (plan or act) for 100 looks at servers without trouble | {100 * alarms / max(len(quiet), 1):.1f} | {len(quiet)} looks | 1 |
"""


def _by_cause(outcomes: Sequence[Outcome]) -> Iterator[str]:
    yield "## By cause\n\n| cause | cases | first | first three | missed | named first instead |\n|---|---|---|---|---|---|"
    wrong = confusion(outcomes)
    for label in sorted({one.case.label for one in outcomes}):
        mine = [one for one in outcomes if one.case.label == label]
        instead = ", ".join(f"{cause} {count}" for cause, count in wrong.get(label, Counter()).most_common())
        first, three = sum(one.place == 0 for one in mine), sum(one.place is not None and one.place < 3 for one in mine)
        missed = sum(one.place is None for one in mine)
        yield f"| {label} | {len(mine)} | {first} | {three} | {missed} | {instead} |"
    yield ""


def _quiet(quiet: Sequence[Outcome]) -> Iterator[str]:
    yield "## Servers without trouble\n\n| what happens | looks | asks for something | notes |\n|---|---|---|---|"
    for label in sorted({one.case.label for one in quiet}):
        mine = [one for one in quiet if one.case.label == label]
        notes = Counter(cause for one in mine for cause, grade, _ in one.causes if grade == "note")
        words = ", ".join(f"{cause} {count}" for cause, count in notes.most_common())
        yield f"| {label} | {len(mine)} | {sum(one.false_alarms for one in mine)} | {words} |"


def confusion(outcomes: Iterable[Outcome]) -> dict[str, Counter[str]]:
    """Of each cause that was not first, what was named first instead."""
    found: dict[str, Counter[str]] = {}
    for one in outcomes:
        if one.place != 0:
            found.setdefault(one.case.label, Counter())[one.causes[0][0] if one.causes else "nothing"] += 1
    return found
