"""What was done between two snapshots of one server, with restarts and resets told from work done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from hardy_gauge.core.activity.counters import Reading, Unusable, difference
from hardy_gauge.errors import InvalidInput

MINUTE_US = 60_000_000


class NotComparable(InvalidInput):
    """Two snapshots whose difference means nothing, and why."""

    title = "Not to be compared"


@dataclass(frozen=True)
class Done:
    """Figures since ``from_us``, over ``span_s`` seconds. ``notes`` say what could not be counted from the first
    snapshot on, or not at all.
    """

    from_us: int
    span_s: float
    values: dict[str, float]
    statements: dict[str, dict[str, float]]
    notes: list[str]


def snapshot_difference(
    first: Reading, second: Reading, first_rows: Mapping[str, Mapping[str, float]], second_rows: Mapping[str, Mapping[str, float]],
) -> Done:  # fmt: skip
    """Counters of the server and of each statement (by key), ``second`` less ``first``.

    A restart between them leaves what was done since it: counters begin at zero then. A counter of the server that went
    back without a restart is left out and named. A statement that went back was reset between, and one that is new was not
    there before: both count from zero, as the least that was done. NotComparable when the second is not the later.
    """
    if second.at_us - first.at_us < 500_000:
        raise NotComparable("the second snapshot has to be half a second later than the first, or more")
    notes: list[str] = []
    before, rows_before = first, first_rows
    if second.started_at_us > first.at_us:
        before, rows_before = Reading(second.started_at_us, second.started_at_us, {}), {}
        notes.append("the server was restarted between them; figures are since then")
        if second.at_us - second.started_at_us < 500_000:
            raise NotComparable("the server had only just been restarted at the second snapshot")
    values, back = _fields(before, second)
    notes += [f"{name} was reset between them and is left out" for name in back]
    statements: dict[str, dict[str, float]] = {}
    fell = 0
    for key, row in second_rows.items():
        old = Reading(before.at_us, before.started_at_us, rows_before.get(key, {}))
        done = difference(old, Reading(second.at_us, before.started_at_us, row))
        if isinstance(done, Unusable):
            fell += 1
            statements[key] = dict(row)
        elif done.values.get("calls", 0) > 0:
            statements[key] = done.values
    if fell:
        notes.append(f"{fell} statements were reset between them; of them the least that was done is shown")
    gone = sum(1 for key in rows_before if key not in second_rows)
    if gone:
        notes.append(f"{gone} statements of the first are no longer counted by the server and are left out")
    span = (second.at_us - before.at_us) / 1e6
    return Done(before.at_us, span, values, statements, notes)


def _fields(before: Reading, second: Reading) -> tuple[dict[str, float], list[str]]:
    """Each counter by itself, so that one that was reset does not spoil the others."""
    values: dict[str, float] = {}
    back: list[str] = []
    for name, value in second.values.items():
        one = difference(
            Reading(before.at_us, 0, {name: before.values.get(name, 0.0)}), Reading(second.at_us, 0, {name: value})
        )
        if isinstance(one, Unusable):
            back.append(name)
        else:
            values[name] = one.values[name]
    return values, back
