"""Scenario files: what ships is right and documented, every mistake is named with its line and its remedy."""

from __future__ import annotations

from pathlib import Path

import jsonschema
import pytest
import yaml
from typer.testing import CliRunner

from practice_fleet.cli import app
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.guide import json_schema, markdown
from practice_fleet.scenario.reading import FOLDER, ScenarioError, load_scenario, shipped
from practice_fleet.troubles.base import MINUTE_US

SMALL = shipped("bookshelf").read_text(encoding="utf-8")
DOCS = Path(__file__).parents[2] / "docs"


@pytest.mark.parametrize("path", sorted(FOLDER.glob("*.yaml")), ids=lambda p: p.stem)
def test_what_ships_passes_its_own_check_and_the_schema(path: Path) -> None:
    found = CliRunner().invoke(app, ["check", str(path)])
    assert found.exit_code == 0 and "servers" in found.output
    schema = json_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(yaml.safe_load(path.read_text(encoding="utf-8")), schema)


def test_the_demo_is_as_large_as_it_is_meant_to_be(scenario: Scenario) -> None:
    assert len(scenario.servers()) >= 18 and len(scenario.clusters) == 8 and scenario.history_days >= 35
    causes = {trouble.cause for trouble in scenario.troubles}
    assert len(causes) >= 14
    over = [t for t in scenario.troubles if t.end_minutes_ago is not None]
    running = [t for t in scenario.troubles if t.end_minutes_ago is None]
    assert (
        len(over) >= 5
        and len(running) >= 4
        and sum(t.cause in ("storage_filling", "transaction_age", "sequence_running_out") for t in running) >= 3
    )
    rhythms = {s.rhythm for d in scenario.databases.values() for s in d.statements.values()}
    assert {"night_run", "weekly_run", "month_end"} <= rhythms, "the benign recurrences"
    earliest = min(t.start_us(0) for t in scenario.troubles)
    assert earliest >= -scenario.history_days * 1440 * MINUTE_US


MISTAKES = [
    ("seed: 7", "seed: seven", 4, "seed", "valid integer"),
    ("memory: 2 GiB", "memory: 2 gigs", 13, "host.memory", "a size such as '8 GiB'"),
    ("channels: 4", "channels: 0", 14, "channels", "greater than or equal to 1"),
    ("rate: 40", "rate: -40", 40, "rate", "greater than or equal to 0 (it is -40)"),
    ("buffer_cache_bytes: 268435456", "buffer_cache_bytes: 1 GiC", 15, "settings.buffer_cache_bytes", "a size such as '8 GiB'"),
    ("buffer_cache_bytes: 268435456", "buffer_cash: 1", 15, "settings.buffer_cash", "no setting 'buffer_cash'"),
    ("    service: catalogue", "    colour: red\n        service: catalogue", 38, "colour", "no such key"),
    ("role: single", "role: king", 17, "role", "'primary', 'replica'"),
    ("        rhythm: day\n      count", "        rhythm: night\n      count", 43, "rhythm", "no rhythm 'night'; there are day"),
    ("columns: [place]", "columns: [spot]", 27, "book", "unknown columns ['spot']"),
    ("statement: count_reading", "statement: find_book", 51, "troubles.0", "changes no rows"),
    ("cause: hot_row", "cause: bad_luck", 51, "troubles.0", "missing_index"),
    ("database: shelf", "database: cellar", 8, "clusters.0.database", "no database 'cellar'; there are shelf"),
    ("hours: [0.1,", "hours: [", 21, "hours", "at least 24 items"),
    ("distinct: 90000", "distinct: 90000, common: {a: 0.9, b: 0.4}", 30, "place", "together at most 1"),
]  # fmt: skip


@pytest.mark.parametrize(("there", "wrong", "line", "where", "remedy"), MISTAKES)
def test_a_mistake_is_named_with_line_and_remedy(
    tmp_path: Path, there: str, wrong: str, line: int, where: str, remedy: str
) -> None:
    assert there in SMALL
    path = tmp_path / "mine.yaml"
    path.write_text(SMALL.replace(there, wrong, 1))
    with pytest.raises(ScenarioError) as found:
        load_scenario(path)
    first = str(found.value).splitlines()[0]
    assert where in first and remedy in first
    number = int(first.split(":")[1])
    assert number == line or (line not in (1,) and abs(number - line) <= 2), first


def test_several_mistakes_are_named_together(tmp_path: Path) -> None:
    path = tmp_path / "mine.yaml"
    path.write_text(SMALL.replace("rate: 40", "rate: none").replace("cores: 2", "cores: 0"))
    found = CliRunner().invoke(app, ["check", str(path)])
    assert found.exit_code == 2 and len(found.output.strip().splitlines()) == 2
    path.write_text("clusters: [")
    assert "not YAML" in CliRunner().invoke(app, ["check", str(path)]).output


@pytest.mark.parametrize(
    ("there", "wrong", "words"),
    [
        ("SELECT id, blurb FROM book WHERE place = $1", "SELECT id FROM (SELECT 1) x", "cannot be planned"),
        ("SELECT id, blurb FROM book WHERE place = $1", "SELECT colour FROM book", "colour"),
    ],
)
def test_check_plans_every_statement(tmp_path: Path, there: str, wrong: str, words: str) -> None:
    path = tmp_path / "mine.yaml"
    path.write_text(SMALL.replace(there, wrong))
    found = CliRunner().invoke(app, ["check", str(path)])
    assert found.exit_code == 2 and words in found.output


def test_the_documentation_is_the_one_that_the_models_give() -> None:
    """`make docs` writes it; every key of every part, every trouble, every setting."""
    assert markdown() in (DOCS / "practice-fleet.md").read_text(encoding="utf-8")
    assert json_schema() == yaml.safe_load((DOCS / "scenario.schema.json").read_text(encoding="utf-8"))
