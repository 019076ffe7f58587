"""Upkeep off, and bloat: dead rows are not removed, and tables have more pages than their rows need."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, change_of, changed, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.evidence.sources import SettingFact, TableUse

OFF = ("off", False, "false", "no", 0)
# of a table: spare pages, from which on a scan reads markedly more than it has to; below, upkeep has left room that is used again
SPARE, MUCH_SPARE = 0.35, 0.6
LEAST_BYTES = 8 * 2**20
DEAD = 0.3


def upkeep_setting(settings: Mapping[str, SettingFact]) -> SettingFact | None:
    """The setting of upkeep, where it is off."""
    return next((one for one in settings.values() if one.neutral == "upkeep_enabled" and one.value in OFF), None)


class UpkeepOff(Unasked):
    """The server's setting or a table's own option says that nothing is cleaned."""

    cause = "upkeep_off"
    needs: tuple[Source, ...] = ("settings",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.settings, Mapping)
        off = upkeep_setting(evidence.settings)
        tables = [] if isinstance(evidence.tables, Unknown) else list(evidence.tables.values())
        dead = [
            Fact(f"dead rows of {t.name}", t.dead_rows, "rows", "table counters", t.rows) for t in tables if t.dead_rows
        ]
        found = []
        if off is not None:
            title = f"Upkeep is switched off ({off.name})"
            back = change_of(
                evidence, off, off.default if off.default is not None else "on", f"Set {off.name} back to {off.default or 'on'}",
                "What has waited is cleaned at once: begin outside the rush.",
            )  # fmt: skip
            found.append(
                warns(
                    self.cause,
                    title,
                    Subject("setting", off.name),
                    "plan",
                    dead[:3],
                    [back],
                    0.95,
                    signal=changed(evidence, off.name),
                )
            )
        for table in tables:
            if table.upkeep_off:
                facts = [Fact("rows", table.rows, "rows", "table counters")]
                facts += [Fact("dead rows", table.dead_rows, "rows", "table counters")] if table.dead_rows else []
                title = f"Upkeep leaves out table {table.name}: {table.upkeep_off}"
                back = remedy("setting change", f"Take back the option {table.upkeep_off} of {table.name}")
                found.append(
                    warns(
                        self.cause,
                        title,
                        Subject("table", table.name),
                        "plan",
                        facts,
                        [back],
                        0.95,
                        signal=changed(evidence, table.name),
                    )
                )
        return found


class Bloat(Unasked):
    """A table has far more pages than its rows need."""

    cause = "bloat"
    needs: tuple[Source, ...] = ("tables",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.tables, Mapping)
        return [found for table in evidence.tables.values() if (found := self._one(table)) is not None]

    def _one(self, table: TableUse) -> Finding | None:
        if table.heap_bytes < LEAST_BYTES:
            return None
        spare = table.spare_bytes
        if spare is None and table.dead_rows is not None:  # where the pages are not looked into, dead rows tell
            spare = int(table.heap_bytes * table.dead_rows / max(table.rows + table.dead_rows, 1.0))
        if spare is None:
            return None
        share = spare / table.heap_bytes
        if share < SPARE:
            return None
        facts = [
            Fact(
                "pages that its rows do not need",
                float(spare),
                "B",
                "table counters" if table.spare_bytes is not None else "dead rows of all rows",
                float(table.heap_bytes),
            ),
            Fact("of the table", share, "share", "table counters"),
        ]
        if table.dead_rows is not None:
            facts.append(Fact("dead rows", table.dead_rows, "rows", "table counters", table.rows))
        grade: Grade = "plan" if share >= MUCH_SPARE else "note"
        remedies = [
            remedy(
                "upkeep", f"Clean {table.name} more often, so that it does not grow again", "Cleaning reads the table."
            ),
            remedy(
                "upkeep",
                f"Write {table.name} anew to give the room back",
                "It keeps the table to itself meanwhile, and needs its size free.",
            ),
        ]
        impact = Impact(float(spare), float(spare), float(spare), "B")
        return warns(
            self.cause, f"{share:.0%} of table {table.name} is room that its rows do not need", Subject("table", table.name), grade, facts,
            remedies, 0.8, impact,
        )  # fmt: skip
