"""Trials of steps, of queries and of a tuner: what they need, and each of them run in a small size where it really takes place."""

from __future__ import annotations

import json
from pathlib import Path

import polars as pl
import pytest
import yaml
from typer.testing import CliRunner

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.cli.main import app
from hardy_gauge.core.narrative.kind_table import kind_table
from hardy_gauge.load.design import BadTrial, TrialDesign, read_design
from hardy_gauge.load.filing import file_trial
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.targets import open_target
from hardy_gauge.load.trial import RunResult
from hardy_gauge.load.tuning import tried_of
from hardy_gauge.load.words import design_words
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Trial
from tests.load.test_kinds import BASE, INDEX, MEMORY, design

TUNER = {"runs": 4, "settings": [{"setting": "cache_size", "low": 10, "high": 20000, "scale": "log"}]}
KNOWN = {"settings": {"cache_size": 2000}, "ratio": 1.5}


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"kind": "steps"}, "steps"), ({"kind": "tuner"}, "tuner"), ({"kind": "null", "tuner": TUNER}, "tuner"),
        ({"kind": "tuner", "tuner": TUNER | {"runs": 2}}, "tuner.runs"),
        ({"kind": "tuner", "tuner": {"settings": [{"setting": "x", "low": 2, "high": 1}]}}, "tuner.settings.0"),
        ({"kind": "tuner", "tuner": {"settings": [{"setting": "x", "low": 0, "high": 1, "scale": "log"}]}}, "tuner.settings.0"),
        ({"kind": "tuner", "tuner": {"settings": [{"setting": "x", "low": 0, "choices": ["a"]}]}}, "tuner.settings.0"),
        ({"kind": "tuner", "tuner": TUNER | {"known": [{"settings": {"x": 1}, "ratio": 1.0}]}}, "tuner.known.0.settings"),
        ({"kind": "tuner", "tuner": TUNER | {"known": [{"settings": {"cache_size": 4000}, "ratio": -1.0}]}}, "tuner.known.0.ratio"),
        ({"kind": "tuner", "tuner": TUNER | {"known": [{"settings": {"cache_size": 99999}, "ratio": 1.0}]}}, "tuner.known.0.settings.cache_size"),
        ({"kind": "queries", "workload": BASE["workload"] | {"arrival": {"workers": 2}}}, "workload.arrival"),
        ({"kind": "queries", "workload": {"standard": "reporting", "statements": [{"sql": "SELECT 1"}]}}, "workload.statements"),
        ({"workload": {"arrival": {"workers": 1}}}, "workload.statements"),
        ({"target": {"sample": "library", "standard": {"set": "reporting"}}}, "target"),
        ({"target": {"standard": {"set": "reporting", "scale": 0}}}, "target.standard.scale"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(more: dict[str, object], field: str) -> None:
    with pytest.raises(BadTrial) as refused:
        design(**more)
    assert refused.value.field == field, refused.value


def test_arms_of_steps_add_up() -> None:
    made = design(kind="steps", steps=[INDEX, MEMORY])
    assert [arm.name for arm in made.arms] == ["start", "index", "memory"] and made.arms[2].changes() == 2
    assert made.cautions() == []


def played(made: TrialDesign) -> tuple[list[RunResult], dict[str, object]]:
    target = open_target(made, None)
    try:
        results = play_trial(made, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    return results, outcome_of(made, results)


@pytest.mark.parametrize(
    "settings",
    [[{"setting": "no_such", "low": 1, "high": 2}], [{"setting": "synchronous", "choices": ["maybe", "full"]}]],
)
def test_what_a_search_may_not_try_is_refused_before_anything_runs(settings: list[dict[str, object]]) -> None:
    made = design(kind="tuner", tuner={"runs": 4, "settings": settings})
    with pytest.raises(BadTrial) as refused:
        open_target(made, None)
    assert refused.value.field.startswith("tuner.settings."), refused.value


def test_steps_need_a_place_that_can_be_changed_under_load() -> None:
    with pytest.raises(BadTrial, match="postgresql"):
        played(design(kind="steps", steps=[INDEX]))


def test_queries_each_alone_on_sqlite() -> None:
    bad = {"name": "without an index", "drop_indexes": ["loan_title_id"]}
    made = design(
        kind="queries", target={"standard": {"set": "reporting", "scale": 0.01}}, workload={"standard": "reporting"},
        arms=[{"name": "as it is"}, bad], run={"seconds": "60 s", "blocks": 2},
    )  # fmt: skip
    results, found = played(made)
    assert [len(run.queries) for run in results] == [20] * 4 and found["verdict"] == "all ran"
    first = found["queries"]["sets"][0]  # type: ignore[index]
    assert first["missing"] == 0 and 0 < first["geometric_s"] < first["total_s"] < 60
    assert sum(one["seconds"] for one in first["queries"]) == pytest.approx(first["total_s"])
    assert "geometric mean" in str(found["sentence"]) and "without an index" in str(found["sentence"])
    assert all(run.goal["throughput"] > 1 for run in results), "the run ends with its last query"


def test_a_search_is_proven_at_the_end_and_can_be_taken_up_again() -> None:
    statement = {"sql": "SELECT count(*) FROM loan WHERE remark LIKE '%7%'"}
    made = design(
        kind="tuner", tuner=TUNER | {"known": [KNOWN]}, workload={"arrival": {"workers": 1}, "statements": [statement]},
        run={"seconds": "1 s", "blocks": 2},
    )  # fmt: skip
    results, found = played(made)
    assert len(results) == made.most_runs() == 4 + 2 + 4
    assert [run.planned.arm for run in results[:6]] == [
        "control",
        "attempt 1",
        "attempt 2",
        "attempt 3",
        "control",
        "attempt 4",
    ]
    assert {run.planned.arm for run in results[6:]} == {"control", "best"}
    tried = found["tuner"]["tried"]  # type: ignore[index]
    assert len(tried) == 5 and tried[0]["settings"] == KNOWN["settings"] and found["verdict"] != "searching"
    assert found["tuner"]["measured"]["blocks"] == 2  # type: ignore[index]
    known = [{name: one[name] for name in ("settings", "ratio", "kept")} for one in tried]
    known[-1] |= {"ratio": 0.0}  # as of an attempt of which no execution ended
    again = design(kind="tuner", tuner=TUNER | {"known": known})
    assert len(tried_of(again, [])) == 5, "what the result has is what the next search is given"


def test_an_attempt_that_breaks_a_guardrail_or_does_not_run_is_not_kept() -> None:
    made = design(kind="tuner", tuner=TUNER, guardrails=[{"metric": "p99", "worsen_at_most": "10%"}])
    results, _ = played(made.model_copy(update={"run": made.run.model_copy(update={"seconds": 1.0})}))
    attempt = results[1]
    attempt.all["p99"] = results[0].all["p99"] * 2
    assert not tried_of(made, results)[0].kept
    attempt.goal = {}
    assert tried_of(made, results)[0].ratio == 0.0


@pytest.mark.postgres
def test_steps_under_one_load_on_a_made_postgresql(tmp_path: Path) -> None:
    document = BASE | {
        "kind": "steps", "target": {"postgresql": {"sample": "library"}},
        "workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT id FROM loan WHERE patron_id = $1", "parameters": [{"low": 1, "high": 30000}]}]},
        "steps": [{"name": "index", "add_indexes": [{"table": "loan", "columns": ["patron_id"]}]}, {"name": "memory", "settings": {"work_mem": "16MB"}}],
        "run": {"seconds": "1 s", "blocks": 2},
    }  # fmt: skip
    path = tmp_path / "steps.yaml"
    path.write_text(yaml.safe_dump(document))
    said = CliRunner().invoke(app, ["trial", str(path), "--json"])
    assert said.exit_code == 0, said.output
    found = json.loads(said.stdout)
    stages = found["steps"]["stages"]
    # two short blocks have a wide interval, whatever the index brings
    assert stages[1]["to_before"]["ratio"] > 3 and stages[0]["limit"] is not None
    told = found["settings_in_force"]
    assert (told["index"]["work_mem"], told["memory"]["work_mem"]) == ("4MB", "16MB"), (
        "as the server told it under load"
    )
    plans = found["plans"]
    assert (plans["known"], plans["first"], plans["arms"]) == (1, "start", ["start", "index", "memory"])
    assert [(one["statement"], one["arm"]) for one in plans["other"]] == [(0, "index"), (0, "memory")]
    document["steps"] = [{"name": "buffers", "settings": {"shared_buffers": "64MB"}}]
    path.write_text(yaml.safe_dump(document))
    refused = CliRunner().invoke(app, ["trial", str(path), "--json"])
    assert refused.exit_code == 2 and json.loads(refused.stdout)["field"] == "steps.0.settings.shared_buffers"


def test_a_filed_trial_of_a_standard_set_has_its_statements(store: Store) -> None:
    document = BASE | {
        "kind": "queries",
        "target": {"standard": {"set": "reporting", "scale": 0.001}},
        "workload": {"standard": "reporting"},
    }
    number = file_trial(store, json.loads(json.dumps(document)), 1, OPERATOR)
    with store.read() as session:
        kept = session.get_one(Trial, number).design
    assert len(kept["workload"]["statements"]) == 20 and "20 statements, 1 worker," in design_words(kept).held
    assert read_design(kept).arms == read_design(document).arms
    assert kept["question"] == "" and kept["run"] == {"seconds": "2 s", "blocks": 3, "seed": 1}, "reports read them"
    with pytest.raises(BadTrial) as refused:
        file_trial(store, document | {"target": {"standard": {"set": "reporting", "scale": 2}}}, 1, OPERATOR)
    assert refused.value.field == "target.standard.scale"


def test_every_kind_has_its_table() -> None:
    interval = {"ratio": 2.0, "low": 1.5, "high": 2.5}
    design_ = {"goal": {"metric": "mean"}}
    steps = {"kind": "steps", "steps": {"stages": [{"name": "start", "mean": 1.0, "to_before": None, "limit": "data read", "limit_share": 0.5}, {"name": "index", "mean": 2.0, "to_before": interval, "limit": None, "limit_share": 0.0}]}}  # fmt: skip
    table = kind_table(design_, steps)
    assert table is not None and table.unit == "s"
    assert [(row.name, row.ratio, row.shown, row.said) for row in table.rows] == [
        ("start", None, False, "data read, 50%"),
        ("index", 2.0, True, "not known"),
    ]
    tuner = {"kind": "tuner", "tuner": {"tried": [{"settings": {"a": 1}, "ratio": 3.0, "kept": True, "expected": 2.0, "low": 1.0, "high": 4.0}], "best": {"settings": {"a": 1}}}}  # fmt: skip
    found = kind_table(design_, tuner)
    assert found is not None and (found.rows[0].name, found.rows[0].figure, found.rows[0].said) == (
        "a = 1",
        3.0,
        "the best",
    )
    tried = tuner["tuner"]["tried"][0]  # type: ignore[index]
    for change, said in (({"kept": False}, "did not keep the guardrails"), ({"failed": "out of memory", "ratio": 0.0}, "did not run: out of memory"), ({"ratio": 0.0}, "no execution ended")):  # fmt: skip
        told = kind_table(design_, tuner | {"tuner": {"tried": [tried | change], "best": None}})
        assert told is not None and told.rows[0].said == said
    assert kind_table(design_, {"kind": "compare"}) is None and kind_table(design_, None) is None


def test_queries_against_an_earlier_run_and_every_execution_in_a_file(tmp_path: Path) -> None:
    document = BASE | {"kind": "queries", "target": {"standard": {"set": "reporting", "scale": 0.002}}, "workload": {"standard": "reporting"}, "run": {"seconds": "60 s", "blocks": 2}}  # fmt: skip
    path, rows = tmp_path / "queries.yaml", tmp_path / "rows.parquet"
    path.write_text(yaml.safe_dump(document))
    first = CliRunner().invoke(app, ["trial", str(path), "--json", "--executions", str(rows)])
    assert first.exit_code == 0, first.output
    frame = pl.read_parquet(rows)
    assert len(frame) == 40 and frame.columns[:4] == ["run", "block", "arm", "start_s"] and not frame["failed"].any()
    earlier = tmp_path / "earlier.json"
    earlier.write_text(first.stdout)
    again = CliRunner().invoke(app, ["trial", str(path), "--json", "--against", str(earlier)])
    found = json.loads(again.stdout)["against"]
    assert [one["statement"] for one in found["queries"]] == [
        None,
        *range(20),
    ] and "Against the earlier run 20 queries" in found["sentence"]
    assert 0.1 < found["queries"][0]["ratio"] < 10
    for text, what in (("{}", "queries"), ("no", "JSON"), (json.dumps({"queries": {"texts": ["a"], "sets": [{"arm": "x"}]}, "runs": [{"planned": {"arm": "x"}, "queries": [{"statement": 4}]}]}), "does not name")):  # fmt: skip
        earlier.write_text(text)
        refused = CliRunner().invoke(app, ["trial", str(path), "--json", "--against", str(earlier)])
        assert refused.exit_code == 2 and json.loads(refused.stdout)["field"] == "against", what
    for arguments in (["examples/null.yaml", "--against", str(earlier)], [str(path), "--executions", "rows.txt"]):
        assert CliRunner().invoke(app, ["trial", *arguments, "--json"]).exit_code == 2
