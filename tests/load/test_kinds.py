"""The kinds of trial: their documents, the arms they make, and what comes out, in a small size on a SQLite file."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.cli.main import app
from hardy_gauge.core.trials.design import PlannedRun
from hardy_gauge.load.design import BadTrial, TrialDesign, read_design, read_file
from hardy_gauge.load.filing import file_trial
from hardy_gauge.load.kinds import enough_of, outcome_of
from hardy_gauge.load.trial import RunResult
from hardy_gauge.load.words import design_words
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Trial

WORK = {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT 1"}]}
BASE = {"title": "t", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": {"sample": "library"}, "workload": WORK, "run": {"seconds": "2 s", "blocks": 3}}  # fmt: skip
INDEX = {"name": "index", "add_indexes": [{"table": "loan", "columns": ["due_day"]}]}
MEMORY = {"name": "memory", "settings": {"cache_size": -512}}


def design(**more: object) -> TrialDesign:
    return read_design(json.loads(json.dumps(BASE | more)))


def results(made: TrialDesign, by_arm: dict[str, list[float]]) -> list[RunResult]:
    return [
        RunResult(PlannedRun(number, block, arm, 1), 0.0, {"throughput": value}, {"throughput": value})
        for arm, values in by_arm.items()
        for block, (number, value) in enumerate(enumerate(values))
    ]


def test_each_kind_makes_its_arms() -> None:
    assert [arm.name for arm in design(kind="null").arms] == ["control", "control again"]
    sweep = design(kind="sweep", sweep={"setting": "cache_size", "values": [-64, -512, -4096]})
    assert [arm.settings["cache_size"] for arm in sweep.arms] == [-64, -512, -4096]
    assert [arm.workers for arm in design(kind="scaling", workers=[8, 1, 2]).arms] == [1, 2, 8]
    factorial = design(kind="factorial", factors=[INDEX, MEMORY])
    assert [arm.name for arm in factorial.arms] == ["none", "index", "memory", "index and memory"]
    assert factorial.arms[3].changes() == 2 and factorial.cautions() == []


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({}, "arms"), ({"kind": "as-needed", "arms": [{"name": "control"}, INDEX]}, "arms"), ({"kind": "sweep"}, "sweep"), ({"kind": "scaling", "workers": [1, 2]}, "workers"), ({"kind": "factorial", "factors": [INDEX]}, "factors"),
        ({"kind": "null", "workers": [1, 2, 3]}, "workers"), ({"kind": "sweep", "sweep": {"setting": "x", "values": [1, 2]}}, "sweep.values"),
        ({"kind": "dance"}, "kind"), ({"kind": "null", "arms": [{"name": "control"}, INDEX]}, "arms"),
    ],
)  # fmt: skip
def test_what_a_kind_needs_is_named(more: dict[str, object], field: str) -> None:
    with pytest.raises(BadTrial) as refused:
        design(**more)
    assert refused.value.field == field


def test_a_filed_design_keeps_the_arms_of_its_kind(store: Store) -> None:
    """Its document is read again by the worker and by the screens."""
    factorial = json.loads(json.dumps(BASE | {"kind": "factorial", "factors": [INDEX, MEMORY]}))
    number = file_trial(store, factorial, 1, OPERATOR)
    with store.read() as session:
        document = session.get_one(Trial, number).design
    assert [arm["name"] for arm in document["arms"]] == ["none", "index", "memory", "index and memory"]
    assert read_design(document).arms == design(kind="factorial", factors=[INDEX, MEMORY]).arms
    assert len(design_words(document).changes) == 4


def test_a_null_trial_tells_how_quiet_the_bench_is() -> None:
    made = design(kind="null")
    quiet = outcome_of(made, results(made, {"control": [100, 101, 99], "control again": [100, 100, 100]}))
    assert quiet["verdict"] == "no difference shown" and 1.0 < quiet["null"]["smallest"] < 1.1
    loud = outcome_of(made, results(made, {"control": [100, 101, 99], "control again": [120, 121, 119]}))
    assert loud["verdict"] == "a difference where there is none" and "where there is none" in loud["sentence"]


def test_as_long_as_needed_ends_when_the_answer_is_there() -> None:
    made = design(kind="as-needed", arms=[{"name": "control"}, INDEX], run={"seconds": "2 s", "blocks": 10})
    enough, plain = enough_of(made), {"control": [100, 101, 99, 100, 102, 99], "index": [180, 183, 178, 181, 184, 179]}
    after = [enough(results(made, {arm: values[:count] for arm, values in plain.items()})) for count in range(1, 7)]
    assert after[:2] == [False, False] and after[-1] and after == sorted(after), "and never takes it back"
    found = outcome_of(made, results(made, plain))
    assert (
        found["verdict"] == "better"
        and "of at most 10 blocks" in found["sentence"]
        and found["as-needed"]["level"] > 0.95
    )
    alike = {"control": [100, 130, 80], "index": [100, 90, 120]}
    assert not enough(results(made, alike)) and not enough_of(design(kind="null"))(results(made, plain))


def test_a_factorial_trial_tells_that_changes_help_each_other() -> None:
    made = design(kind="factorial", factors=[INDEX, MEMORY])
    found = outcome_of(made, results(made, {"none": [100, 101, 99], "index": [200, 201, 199], "memory": [100, 99, 101], "index and memory": [400, 404, 398]}))  # fmt: skip
    effects = {tuple(one["of"]): one for one in found["factorial"]["effects"]}
    assert effects[("index",)]["times"] == pytest.approx(8**0.5, rel=0.02) and effects[("index", "memory")]["shown"]
    assert "index and memory together make" in found["sentence"] and found["verdict"] == "effects shown"


def test_scaling_and_sweep_say_where_it_turns() -> None:
    made = design(kind="scaling", workers=[1, 2, 4, 8])
    found = outcome_of(made, results(made, {"1 worker": [100, 101, 99], "2 workers": [150, 152, 149], "4 workers": [160, 161, 158], "8 workers": [110, 111, 109]}))  # fmt: skip
    assert (
        found["verdict"] == "turns" and 2 < found["scaling"]["peak"]["value"] < 5 and "do not help" in found["sentence"]
    )
    sweep = design(kind="sweep", sweep={"setting": "cache_size", "values": [-64, -512, -4096]})
    names = [arm.name for arm in sweep.arms]
    best = outcome_of(
        sweep, results(sweep, dict(zip(names, [[50, 51, 49], [100, 101, 99], [100, 99, 101]], strict=True)))
    )
    assert best["sweep"]["region"] == ["-512", "-4096"] and "alike as far as is shown" in best["sentence"]


def test_too_few_runs_say_nothing() -> None:
    made = design(kind="null")
    found = outcome_of(made, results(made, {"control": [100], "control again": [100]}))
    assert found["verdict"] == "cannot tell" and "1 block has ended in every arm; at least 2" in found["sentence"]


def test_a_comparison_that_has_only_begun_is_not_one_without_a_difference() -> None:
    made = design(arms=[{"name": "control"}, {"name": "other"}])
    for ended, said in ((0, "No block has ended in every arm"), (1, "1 block has ended in every arm")):
        figures = {arm.name: [100.0] * ended for arm in made.arms}
        found = outcome_of(made, results(made, figures))
        assert found["verdict"] == "cannot tell" and found["sentence"].startswith(said)
    nothing = outcome_of(made, results(made, {arm.name: [0.0, 0.0, 0.0] for arm in made.arms}))
    assert nothing["verdict"] == "cannot tell" and nothing["sentence"].startswith("Too few executions")


@pytest.mark.parametrize("path", sorted(Path("examples").glob("*.yaml")), ids=lambda path: path.stem)
def test_every_example_is_a_trial_and_says_its_plan(path: Path) -> None:
    assert read_file(path).arms
    said = CliRunner().invoke(app, ["trial", str(path), "--plan", "--quick", "--json"])
    document = json.loads(said.stdout)
    assert (
        said.exit_code == 0 and document["runs"] >= 6 and document["sentence"] and document["seconds_at_least"] <= 120
    )


def test_the_null_example_runs() -> None:
    said = CliRunner().invoke(app, ["trial", "examples/null.yaml", "--quick", "--json"])
    document = json.loads(said.stdout)
    assert (
        said.exit_code == 0
        and document["kind"] == "null"
        and {"sentence", "verdict", "runs", "settings_in_force", "cautions", "null"} <= document.keys()
    )
