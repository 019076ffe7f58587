"""Settings differ: one server of a cluster has another value than all of its peers of the same role."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, changed, remedy, warns
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source


class SettingsDiffer(Unasked):
    """Found on the one that is alone with its value, where at least two peers agree; noted, for a difference is not yet a problem."""

    cause = "settings_differ"
    needs: tuple[Source, ...] = ("settings",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.settings, Mapping)
        found = []
        for one in evidence.settings.values():
            if len(one.differs_from) < 1 or one.value == one.default:
                continue  # the one that is as it was installed is not the odd one
            title = f"{one.name} is {one.value} here, and another value on {', '.join(one.differs_from)}"
            alike = remedy(
                "setting change", f"Set {one.name} alike on servers that do the same work", "Or note why it differs."
            )
            found.append(
                warns(
                    self.cause,
                    title,
                    Subject("setting", one.name),
                    "note",
                    [],
                    [alike],
                    0.7,
                    signal=changed(evidence, one.name),
                )
            )
        return found
