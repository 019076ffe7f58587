"""Each trouble's example leaves the traces that docs/practice-fleet-traces.md says, in those sources and from those minutes."""

from __future__ import annotations

import pytest
from tools.practice_traces import ANCHOR_US, DOC, row_of

from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.examples import EXAMPLES
from practice_fleet.traces import Player, Traces

BENIGN_AND_SILENT = {"settings_differ"}


@pytest.fixture(scope="module")
def player(scenario: Scenario) -> Player:
    return Player(scenario, ANCHOR_US)


@pytest.fixture(scope="module")
def documented() -> dict[str, str]:
    lines = DOC.read_text(encoding="utf-8").splitlines()
    return {line.split("`")[1]: line for line in lines if line.startswith("| `")}


@pytest.mark.parametrize("cause", EXAMPLES)
def test_a_trouble_leaves_the_traces_that_are_documented(
    player: Player, documented: dict[str, str], cause: str
) -> None:
    found = player.traces(cause)
    assert found != Traces(), "it leaves no trace"
    assert row_of(cause, found) == documented[cause], "write the table anew with `make docs`"


def test_a_trouble_of_the_engine_never_says_its_own_name(player: Player) -> None:
    """Messages are what an engine would say, never the diagnosis."""
    from practice_fleet.fleet import Fleet
    from practice_fleet.live import LiveServer
    from practice_fleet.server import HOUR_US
    from practice_fleet.traces import example_of

    for cause, example in EXAMPLES.items():
        fleet = Fleet(example_of(player.scenario, cause), ANCHOR_US)
        live = LiveServer(fleet.histories[example["servers"][0]], ANCHOR_US)
        said = live.messages(ANCHOR_US, ANCHOR_US + HOUR_US).messages
        assert not [m.text for m in said if cause in m.text or cause.replace("_", " ") in m.text], cause
