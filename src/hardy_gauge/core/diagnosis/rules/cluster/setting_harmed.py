"""Setting harmed: figures are worse since a setting was changed, from that moment on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, change_of, remedy, since, warns, won_back
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import ChangeFact, RecordedFigure

WORSE = 1.5
# what costs when it grows, and the share of the server's work that it must be to be felt: figure by figure, least a second
COSTS: Mapping[str, tuple[str, str, float]] = {
    "log_bytes": ("log written", "B/s", 20_000.0),
    "pages_written": ("pages written", "/s", 5.0),
    "pages_read": ("pages read", "/s", 20.0),
    "temporary_bytes": ("temporary bytes", "B/s", 1e6),
    "checkpoints": ("checkpoints", "/s", 1 / 300),
    "errors": ("calls that fail", "/s", 0.05),
    "rollbacks": ("transactions taken back", "/s", 0.5),
    "time_s": ("active sessions", "sessions", 0.1),
    "processor_busy_s": ("cores busy", "", 0.2),
}
LEAST_US = 5 * 60_000_000  # since the change: less shows nothing yet


class SettingHarmed(Unasked):
    """The last change of each setting in the focus, and what grew since by half and more."""

    cause = "setting_harmed"
    needs: tuple[Source, ...] = ("figures", "changes")

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.changes, list) and isinstance(evidence.figures, Mapping)
        found: dict[str, Finding] = {}
        worse = {
            name: figure
            for name in COSTS
            if (figure := evidence.figures.get(name)) is not None and self._worse(name, figure)
        }
        if not worse or self._busier(evidence):
            return []
        for change in evidence.changes:
            recent = evidence.focus.since_us - LEAST_US <= change.at_us <= evidence.focus.until_us - LEAST_US
            if change.kind == "setting" and change.object and recent and change.object not in found:
                found[change.object] = self._one(evidence, change, worse)
        return list(found.values())

    def _worse(self, name: str, figure: RecordedFigure) -> bool:
        return (
            figure.typical is not None
            and figure.value > max(WORSE * figure.typical.value, figure.typical.high)
            and figure.value - figure.typical.value >= COSTS[name][2]
        )

    def _busier(self, evidence: Evidence) -> bool:
        """More is called for than on days like this: then it is that."""
        assert isinstance(evidence.figures, Mapping)
        calls = evidence.figures.get("calls")
        return calls is not None and calls.ratio is not None and calls.ratio > WORSE

    def _one(self, evidence: Evidence, change: ChangeFact, worse: Mapping[str, RecordedFigure]) -> Finding:
        facts = [since(evidence, change)]
        for name, figure in worse.items():
            title, unit, _ = COSTS[name]
            facts.append(against_usual(title, figure, unit, "counters"))
        before = f" to {change.before}" if change.before else ""
        words, caution = (
            f"Set {change.object} back{before}, and see whether the figures follow",
            "Ask who changed it, and why.",
        )
        settings = evidence.settings if isinstance(evidence.settings, Mapping) else {}
        known, was = settings.get(change.object), _value(change.before)
        remedies = [remedy("setting change", words, caution)]
        if known is not None and (was is not None or known.default is not None):
            remedies = [change_of(evidence, known, was if was is not None else known.default or 0, words, caution)]
        title = f"Figures are worse since {change.object} was changed"
        more, impact = worse.get("time_s"), None
        if more is not None and more.typical is not None:
            usual, above = more.typical, more.value - more.typical.value
            impact = Impact(above, 0.0, more.value)
            source = "its figures against days like this"
            won = won_back(above, more.value - usual.high, more.value - usual.low, source, more.value)
            remedies = [replace(one, expected=[won]) for one in remedies]
        return warns(
            self.cause,
            title,
            Subject("setting", change.object),
            "plan",
            facts,
            remedies,
            0.75,
            impact,
            Signal("moment", at_us=change.at_us),
        )


def _value(text: str) -> float | str | None:
    """What it was, as the change has it."""
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        return text
