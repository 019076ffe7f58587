"""Scenario files: troubles that cannot act are said with their line; words that YAML 1.1 took for booleans are words."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
import yaml
from typer.testing import CliRunner

from practice_fleet.cli import app
from practice_fleet.scenario.reading import load_scenario, shipped

RING = yaml.safe_load(shipped("bookshelf").read_text(encoding="utf-8"))


def checked(tmp_path: Path, troubles: list[dict[str, object]], text: str = "") -> tuple[int, str]:
    path = tmp_path / "x.yaml"
    path.write_text(
        text or yaml.safe_dump(json.loads(json.dumps(RING | {"troubles": troubles})), sort_keys=False), encoding="utf-8"
    )
    found = CliRunner().invoke(app, ["check", str(path)])
    return found.exit_code, found.output


def test_troubles_that_cannot_act(tmp_path: Path) -> None:
    server = RING["clusters"][0]["servers"][0]["name"]
    growing = {"cause": "upkeep_off", "servers": [server], "start_minutes_ago": 600}
    assert checked(tmp_path, [growing])[0] == 0
    code, said = checked(tmp_path, [growing, growing | {"start_minutes_ago": 60}])
    assert code == 2 and "troubles.1: upkeep_off does nothing of its own: troubles.0 is the same" in said
    assert "x.yaml:" in said and ":1: " not in said, "the line is the trouble's"
    long_ago = growing | {"start_minutes_ago": 90 * 1440, "end_minutes_ago": 80 * 1440}
    code, said = checked(tmp_path, [long_ago])
    assert code == 2 and "before the history" in said
    code, said = checked(tmp_path, [growing | {"end_minutes_ago": 300}, growing | {"start_minutes_ago": 200}])
    assert code == 0, "one after the other is no overlap"


@pytest.mark.parametrize(
    ("cause", "more", "why"),
    [
        ("replica_behind", {}, "acts on a replica"), ("hot_partition", {"statement": "find_book"}, "acts on a member"),
        ("partitions_wrong", {}, "acts on a coordinator or worker"), ("burst_credit_used_up", {}, "has no burst_operations_per_s"),
    ],
)  # fmt: skip
def test_a_trouble_of_another_kind_of_server(tmp_path: Path, cause: str, more: dict[str, str], why: str) -> None:
    server = RING["clusters"][0]["servers"][0]["name"]
    code, said = checked(tmp_path, [{"cause": cause, "servers": [server], "start_minutes_ago": 60} | more])
    assert code == 2 and why in said


@pytest.mark.parametrize("word", ["on", "'on'"])
def test_a_key_may_be_called_on(tmp_path: Path, word: str) -> None:
    text = shipped("bookshelf").read_text(encoding="utf-8")
    first = next(line for line in text.splitlines() if "rhythm:" in line and line.startswith("      "))
    indent = first[: len(first) - len(first.lstrip())]
    code, said = checked(tmp_path, [], text.replace(first, f"{first}\n{indent}{word}: all", 1))
    assert code == 0, said


def test_a_volume_need_not_grow(tmp_path: Path) -> None:
    path = tmp_path / "still.yaml"
    text = yaml.safe_dump(RING)
    document = yaml.safe_load(text)
    document["clusters"][0]["host"]["data_volume"]["growth_per_day"] = 0
    path.write_text(yaml.safe_dump(document), encoding="utf-8")
    assert load_scenario(path).clusters[0].host.data_volume.growth_per_day == 0
