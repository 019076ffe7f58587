"""A scenario played to its present, captured as the product captures it, and diagnosed: what was found on which server."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.diagnose.scenario_play import recorded
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.queries.scope import server_named
from practice_fleet.scenario.document import Scenario

NOW = 1_795_521_600_000_000  # a Tuesday noon
DAYS, SAMPLE_DAYS = 9, 2


@dataclass(frozen=True)
class Diagnosed:
    """Findings of one server, the most important first, causes that could not be looked for, and since when each cause is there."""

    findings: list[Finding]
    unknown: list[NotKnown]
    since_us: dict[str, int] = field(default_factory=dict)

    def causes(self, *grades: str) -> list[str]:
        return [one.cause for one in self.findings if not grades or one.grade in grades]


def shortened(scenario: Scenario, troubles: Sequence[dict[str, Any]], **more: Any) -> Scenario:
    """The scenario with little history, these troubles and no others."""
    document = scenario.model_dump(exclude={"troubles"})
    document |= {"history_days": DAYS, "sample_history_days": SAMPLE_DAYS, "troubles": list(troubles), **more}
    return Scenario.model_validate(document)


def diagnosed(
    scenario: Scenario, names: Sequence[str], folder: Path, beside: Sequence[str] = (), now_us: int = NOW
) -> dict[str, Diagnosed]:
    """Play the scenario to its present and diagnose the servers named; those ``beside`` are recorded too."""
    with recorded(scenario, folder, now_us, [*names, *beside]) as reader:
        found = {}
        for name in names:
            known = diagnose_server(reader, server_named(reader, name))
            found[name] = Diagnosed(
                [one for one, _ in known.findings],
                known.unknown,
                {one.cause: at for one, at in reversed(known.findings)},
            )
        return found
