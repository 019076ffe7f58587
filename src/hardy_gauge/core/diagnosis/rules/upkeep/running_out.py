"""What runs out at a day that can be told: the values of a sequence, transaction numbers, room on a volume.

Each is found by how much is left ÷ how fast it goes, not by a threshold of use alone: nine tenths used for years are no trouble.
"""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import (
    DAY_S,
    Unasked,
    against_usual,
    changed,
    figure_of,
    grade_by_days,
    remedy,
    setting_of,
    warns,
)
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.diagnosis.rules.upkeep.unkept import OFF
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.evidence.sources import TableUse

MOST_AGE = 2.0**31  # SQL servers number transactions with 32 bits: half of them may lie between the oldest and now
OLD = 0.1  # of them: below, upkeep has all the time it wants
NEARLY_FULL = 0.97
MOSTLY = 0.5  # of a volume's growth
RESETS = 0.0  # growth a day at and below which nothing runs out


def _left(share: float, per_day: float | None) -> float | None:
    """Days until all is used; None where it does not grow or that is not known."""
    return (1 - share) / per_day if per_day is not None and per_day > RESETS else None


def _impact(days: float) -> Impact:
    return Impact(days * DAY_S, days * DAY_S, days * DAY_S, "s")


class SequenceRunningOut(Unasked):
    """A sequence reaches the last value that its column can hold."""

    cause = "sequence_running_out"
    needs: tuple[Source, ...] = ("sequences",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.sequences, Unknown)
        found = []
        for one in evidence.sequences:
            days = _left(one.used, one.per_day)
            grade = "act" if one.used >= NEARLY_FULL else grade_by_days(days) if days is not None else "fine"
            if grade == "fine":
                continue
            days = 0.0 if days is None else days
            facts = [
                Fact("values given", float(one.value), "", "sequence", float(one.most)),
                Fact("of all values", one.used, "share", "sequence"),
                Fact("days left at its rate", days, "", "sequence over the last week"),
            ]
            wider = f" of {one.column}" if one.column else ""
            remedies = [
                remedy("rewrite", f"Give the column{wider} a type with more values, and the sequence with it",
                       "Changing the type rewrites the table; add a wide column and fill it in steps where it is large.")
            ]  # fmt: skip
            title = f"Sequence {one.name} has given {one.used:.0%} of its values"
            found.append(
                warns(self.cause, title, Subject("sequence", one.name), grade, facts, remedies, 0.9, _impact(days))
            )
        return found


class TransactionAge(Unasked):
    """Transaction numbers age, since old rows are not frozen any more; at the end nothing can be written."""

    cause = "transaction_age"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        age = figure_of(evidence, "transaction_age")
        if age is None or age.last is None:
            return []
        share = age.last / MOST_AGE
        per_day = None if age.per_day is None else age.per_day / MOST_AGE
        oldest = self._oldest(evidence, age.last)
        unkept = self._unkept(evidence, oldest)
        commits = figure_of(evidence, "commits")
        if unkept and commits is not None:  # nothing will freeze it: it ages by what is committed now
            per_day = max(per_day or 0.0, commits.value * DAY_S / MOST_AGE)
        days = _left(share, per_day)
        if (share < OLD and not unkept) or days is None:
            return []
        grade = grade_by_days(days)
        if share >= 0.5 and grade == "fine":
            grade = "note"
        if grade == "fine":
            return []
        facts = [
            Fact("age of the oldest number", age.last, "", "counters", MOST_AGE),
            Fact("of all there are", share, "share", "counters"),
            Fact("days left at this rate", days, "", "counters of the last half day"),
        ]
        subject, left_out = Subject("server", evidence.server), []
        if oldest is not None:
            subject = Subject("table", oldest.name)
            facts.append(Fact(f"age of {oldest.name}", oldest.transaction_age or 0.0, "", "table counters"))
            left_out = [f"{name} = {value}" for name, value in oldest.options.items()]
        remedies = [
            remedy("upkeep", f"Freeze old rows{f' of {subject.name}' if subject.kind == 'table' else ''}, outside the rush",
                   "It reads the table and writes what it freezes."),
        ]  # fmt: skip
        if left_out:
            remedies.insert(0, remedy("setting change", f"Take back the table's own option {', '.join(left_out)}"))
        title = f"Transaction numbers run out in {days:.0f} days"
        signal = changed(evidence, subject.name)
        return [warns(self.cause, title, subject, grade, facts, remedies, 0.85, _impact(days), signal)]

    def _oldest(self, evidence: Evidence, age: float) -> TableUse | None:
        """The table that has the oldest number, where tables say so."""
        if not isinstance(evidence.tables, Mapping):
            return None
        oldest = max(evidence.tables.values(), key=lambda t: t.transaction_age or 0.0, default=None)
        return oldest if oldest is not None and (oldest.transaction_age or 0.0) > 0.5 * age else None

    def _unkept(self, evidence: Evidence, oldest: TableUse | None) -> bool:
        """Whether upkeep leaves the oldest table out, or is off for all."""
        setting = setting_of(evidence, "upkeep_enabled")
        return bool(oldest is not None and oldest.upkeep_off) or (setting is not None and setting.value in OFF)


class StorageFilling(Unasked):
    """A volume fills; when it is full, nothing can be written."""

    cause = "storage_filling"
    needs: tuple[Source, ...] = ("volumes",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.volumes, Unknown)
        found = []
        for volume in evidence.volumes:
            used = volume.used_bytes / max(volume.capacity_bytes, 1.0)
            full = used >= 0.995
            if volume.days_left is None and not full:
                continue
            days = 0.0 if full else float(volume.days_left or 0.0)
            grade = grade_by_days(days)
            if grade == "fine":
                continue
            facts = [
                Fact("used", volume.used_bytes, "B", "host"),
                Fact("capacity", volume.capacity_bytes, "B", "host"),
                Fact("of the volume", used, "share", "host"),
                Fact(
                    "days left",
                    days,
                    "",
                    "use of the last two hours" if volume.lately else "use of the last two weeks",
                ),
            ]
            remedies = [
                remedy("capacity", f"Make volume {volume.name} larger", "It is slower while what is on it is moved."),
                remedy("upkeep", "Look which table, log or temporary files grow, and remove what nobody needs"),
            ]
            when = f"{days:.0f} days" if days >= 2 else f"{days * 24:.0f} hours"
            title = f"Volume {volume.name} is full" if full else f"Volume {volume.name} is full in {when}"
            found.append(
                warns(self.cause, title, Subject("volume", volume.name), grade, facts, remedies, 0.85, _impact(days))
            )
        return found


class TemporaryFilesFill(Unasked):
    """A volume fills lately, and most of what comes are temporary files."""

    cause = "temporary_files_fill"
    needs: tuple[Source, ...] = ("volumes", "figures")

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.volumes, Unknown)
        written = figure_of(evidence, "temporary_bytes")
        if written is None:
            return []
        found = []
        for volume in evidence.volumes:
            if not volume.lately or not volume.days_left:
                continue
            growth = (volume.capacity_bytes - volume.used_bytes) / (volume.days_left * DAY_S)
            if written.value < MOSTLY * growth:
                continue
            facts = [
                against_usual("temporary bytes written", written, "B/s", "counters"),
                Fact("the volume grows by", growth, "B/s", "host"),
            ]  # fmt: skip
            remedies = [
                remedy("operation", "Find the call that sorts or joins so much, and end it if nobody needs it", "What it has done is lost."),
                remedy("setting change", "Limit the temporary files of a session", "Calls that need more fail."),
            ]  # fmt: skip
            title = f"Temporary files fill volume {volume.name}"
            grade = grade_by_days(volume.days_left)
            subject, impact = Subject("volume", volume.name), _impact(volume.days_left)
            found.append(
                warns(
                    self.cause, title, subject, grade, facts, remedies, 0.8, impact, Signal("figure", "temporary_bytes")
                )
            )
        return found
