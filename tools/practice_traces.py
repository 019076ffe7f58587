"""The table of docs/practice-fleet-traces.md: what each trouble's example leaves to be seen, found by playing it."""

from __future__ import annotations

from pathlib import Path

import yaml

from practice_fleet.scenario.examples import EXAMPLES
from practice_fleet.scenario.reading import load_scenario, shipped
from practice_fleet.traces import HOURS, Player, Traces

DOC = Path(__file__).parents[1] / "docs" / "practice-fleet-traces.md"
ANCHOR_US = 1_795_521_600_000_000  # a Tuesday noon
HEAD = f"""# What each trouble leaves to be seen

Made by `make docs`: the example of each trouble is played for {HOURS} hours from a Tuesday noon on, beside the same server of the
demo without it. Figures and time at wait events that differ are named, those that differ most first, with the way they go and, in
brackets, the minute from which on they do. What is not in a row does not give the trouble away. `tests/practice/test_traces.py`
plays every row again.

| trouble | figures | time at wait events | statements | sessions | log messages | server, settings, tables |
|---|---|---|---|---|---|---|
"""


def row_of(cause: str, found: Traces) -> str:
    return f"| `{cause}` | {' | '.join(cell or '–' for cell in found.cells())} |"


def page() -> str:
    """The whole page; takes a minute."""
    player = Player(load_scenario(shipped()), ANCHOR_US)
    rows = "\n".join(row_of(cause, player.traces(cause)) for cause in EXAMPLES)
    examples = "\n".join(
        yaml.safe_dump(
            [{"cause": cause} | example | {"start_minutes_ago": 60}],
            sort_keys=False,
            default_flow_style=True,
            width=200,
        ).strip()[1:-1]
        for cause, example in EXAMPLES.items()
    )
    lines = "\n".join(f"  - {line}" for line in examples.splitlines())
    return f"{HEAD}{rows}\n\n## The examples\n\nEach as a line of `troubles`, for the databases of the demo.\n\n```yaml\ntroubles:\n{lines}\n```\n"
