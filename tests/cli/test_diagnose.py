"""``hardy-gauge diagnose``: a scenario without a network, a store at a moment, and what cannot be."""

from __future__ import annotations

import json
import socket
from pathlib import Path
from typing import Any

import pytest
import yaml
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from practice_fleet.scenario.reading import shipped
from tests.practice.shelf import PLAIN

runner = CliRunner()
TROUBLE = {"cause": "missing_index", "servers": ["shelf-a"], "index": "book_place", "start_minutes_ago": 30}


def diagnose(*options: str, status: int = 0) -> Any:
    result = runner.invoke(app, ["diagnose", *options, "--json"])
    assert result.exit_code == status, result.output
    return json.loads(result.stdout)


def test_a_scenario_is_played_and_diagnosed_without_a_network(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "shelf.yaml"
    file.write_text(yaml.safe_dump(PLAIN | {"troubles": [TROUBLE]}))
    connected: list[object] = []
    monkeypatch.setattr(socket.socket, "connect", lambda self, address: connected.append(address))
    document = diagnose("--scenario", str(file), "--at", "2026-11-24T12:00:00Z")
    assert document["at"] == "2026-11-24T12:00:00Z" and not connected
    first = document["servers"]["shelf-a"]["findings"][0]
    assert (first["cause"], first["root"], first["subject"]["kind"]) == ("missing_index", True, "statement")
    assert first["grade"] == "act" and first["impact"]["low"] <= first["impact"]["value"] <= first["impact"]["high"]
    assert first["since"].startswith("2026-11-24T11:") and "Missing index" in document["servers"]["shelf-a"]["sentence"]
    assert document["servers"]["shelf-a"]["unknown"] == [], "a practice server reports all that is asked for"
    text = runner.invoke(app, ["diagnose", "--scenario", str(file), "--at", "2026-11-24T12:00:00Z"]).stdout
    assert "act   missing index: Missing index on book (place)" in text


def test_bad_files_and_moments_are_named(tmp_path: Path) -> None:
    bad = tmp_path / "bad.yaml"
    bad.write_text(shipped("bookshelf").read_text().replace("cores: 2", "cores: none"))
    document = diagnose("--scenario", str(bad), status=2)
    assert document["status"] == 422 and document["field"] == "scenario" and "cores" in document["detail"]
    assert diagnose("--data", str(tmp_path), status=2)["field"] == "data"
    assert diagnose("--at", "yesterday", status=2)["field"] == "at"
    assert diagnose("--scenario", str(shipped("bookshelf")), "--server", "nobody", status=2)["field"] == "server"


def test_a_store_is_diagnosed_at_a_moment(recorded_shelf: Path) -> None:
    document = diagnose("--data", str(recorded_shelf), "--server", "shelf-a", "--at", "2026-11-24T11:58:00Z")
    assert document["servers"]["shelf-a"]["findings"][0]["cause"] == "missing_index"
    before = diagnose("--data", str(recorded_shelf), "--at", "2026-11-24T11:20:00Z")
    assert "missing_index" not in [one["cause"] for one in before["servers"]["shelf-a"]["findings"]]


@pytest.fixture
def recorded_shelf(tmp_path: Path) -> Path:
    from hardy_gauge.diagnose.scenario_play import recorded
    from practice_fleet.scenario.document import Scenario
    from tests.practice.shelf import NOW

    with recorded(Scenario.model_validate(PLAIN | {"troubles": [TROUBLE]}), tmp_path, NOW):
        pass
    (tmp_path / "scenario.db").rename(tmp_path / "hardy-gauge.db")
    return tmp_path
