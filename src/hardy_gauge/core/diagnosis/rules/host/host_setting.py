"""Host settings: the machine saves power or moves memory to swap early. Common practice: swap tendency 1, no power saving."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.host.settings import saves_power, swaps_early


class HostSetting(Unasked):
    """What the host says of itself, whether it harms yet or not."""

    cause = "host_setting"
    needs: tuple[Source, ...] = ("host",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        host = evidence.host
        assert not isinstance(host, Unknown)
        found = []
        if saves_power(host.settings):
            saving = host.settings["power_saving"].strip().lower()
            back = remedy("setting change", "Let the cores run at full speed (performance)", "They take more power.")
            found.append(
                warns(
                    self.cause,
                    f"The host saves power: {saving}",
                    Subject("setting", "power_saving"),
                    "plan",
                    [],
                    [back],
                    0.9,
                    signal=Signal("figure", "processor_busy_s"),
                )
            )
        tendency = swaps_early(host.settings)
        if tendency is not None:
            facts = [Fact("swap tendency", tendency, "", "host", 1.0)]
            back = remedy("setting change", "Set the swap tendency to 1", "Memory that is never used stays in memory.")
            title = "The host moves memory to swap early"
            found.append(warns(self.cause, title, Subject("setting", "swap_tendency"), "note", facts, [back], 0.8))
        return found
