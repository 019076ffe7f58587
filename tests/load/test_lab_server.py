"""Trials on a real PostgreSQL of the fleet: what is shown is true, and the server is afterwards as it was, also after a kill.

That an index is found better, and a null pair not, is a known truth of the made table; what a server has is asked of the server itself.
"""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil
import psycopg
import pytest
import yaml
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.postgres import way_back
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.load.trial import RunResult
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, CaptureState, Cluster, Server
from hardy_gauge.store.trial_models import WayBack
from tests.conftest import wait_until
from tests.patience import PATIENT_S
from tests.postgres import running_postgres

pytestmark = [pytest.mark.postgres, pytest.mark.timeout(300)]
KILLS = int(os.environ.get("KILLS_OF_TRIALS", "2"))
INDEX = {
    "title": "an index on a lab server", "goal": {"metric": "throughput", "at_least": "100 /s"},
    "target": {"server": "reading-room", "account": "tuner", "player": "desk"},
    "workload": {
        "arrival": {"kind": "closed", "workers": 2},
        "statements": [{"sql": "SELECT id, due FROM loan WHERE patron = $1", "parameters": [{"low": 1, "high": 20000}]}],
    },
    "arms": [{"name": "control"}, {"name": "with index", "add_indexes": [{"table": "loan", "columns": ["patron"]}]}],
    "run": {"seconds": "1 s", "blocks": 3},
}  # fmt: skip
STATE = """
SELECT (SELECT jsonb_object_agg(name, setting) FROM pg_settings WHERE sourcefile LIKE '%auto.conf'),
       (SELECT array_agg(indexdef ORDER BY indexname) FROM pg_indexes WHERE schemaname = 'public'),
       (SELECT jsonb_object_agg(name, setting) FROM pg_settings WHERE name IN ('random_page_cost', 'checkpoint_timeout', 'shared_buffers', 'work_mem'))
"""


@dataclass
class Lab:
    """A store with a server of its fleet, and a session of the server's owner."""

    store: Store
    owner: psycopg.Connection[Any]
    address: str

    def state(self) -> Any:
        with psycopg.connect(self.owner.info.dsn, autocommit=True) as fresh:
            return fresh.execute(STATE).fetchone()

    def ours(self) -> int:
        query = "SELECT count(*) FROM pg_stat_activity WHERE application_name LIKE 'hardy-gauge trial%'"
        with psycopg.connect(self.owner.info.dsn, autocommit=True) as fresh:
            row = fresh.execute(query).fetchone()
        assert row is not None
        return int(row[0])


@pytest.fixture(scope="module")
def server() -> Iterator[psycopg.Connection[Any]]:
    with running_postgres() as owner:
        owner.execute(
            "CREATE ROLE tuner LOGIN; CREATE ROLE desk LOGIN; CREATE ROLE guest LOGIN; GRANT pg_read_all_settings, pg_signal_backend, pg_monitor TO tuner"
        )
        owner.execute(
            "GRANT ALTER SYSTEM ON PARAMETER checkpoint_timeout, autovacuum_naptime TO tuner; GRANT EXECUTE ON FUNCTION pg_reload_conf TO tuner"
        )
        owner.execute(
            [
                "GRANT ALL ON SCHEMA public TO tuner",
                " ALTER SYSTEM SET random_page_cost = 3",
                " SELECT pg_reload_conf()",
            ][0]
        )
        owner.execute("ALTER SYSTEM SET checkpoint_timeout = '7min'")
        owner.execute("SELECT pg_reload_conf()")
        owner.execute("CREATE TABLE loan (id serial PRIMARY KEY, patron int, due date, note text)")
        owner.execute("ALTER TABLE loan OWNER TO tuner")
        owner.execute("GRANT SELECT, UPDATE ON loan TO desk")
        owner.execute(
            "INSERT INTO loan (patron, due, note) SELECT i % 20000, date '2026-01-01' + i % 300, 'note ' || i FROM generate_series(1, 150000) i"
        )
        owner.execute("CREATE INDEX loan_due ON loan (due)")
        owner.execute("VACUUM ANALYZE loan")
        yield owner  # fmt: skip


@pytest.fixture
def lab(server: psycopg.Connection[Any], tmp_path: Path) -> Iterator[Lab]:
    store = Store(tmp_path / "hardy-gauge.db")
    host, port = server.info.host, server.info.port
    address = f"postgresql:///postgres?host={host}&port={port}"
    secret = Keyring(tmp_path).close("not asked for")
    with store.write() as session:
        cluster = Cluster(name="reading")
        for name in ("tuner", "desk", "postgres", "guest"):
            session.add(Account(name=name, user=name, secret=secret, hosts=[str(host)], plain_text=True, changed_us=1))
        for name, labels in (("reading-room", ["lab"]), ("counter", [])):
            session.add(CaptureState(server=Server(name=name, cluster=cluster, role="single", engine="postgresql", engine_version="15", address=address, labels=labels)))  # fmt: skip
    yield Lab(store, server, address)
    store.close()


def with_(**changes: Any) -> dict[str, Any]:
    made = json.loads(json.dumps(INDEX))
    target = made["target"] | changes.pop("target", {})
    return made | changes | {"target": {name: value for name, value in target.items() if value is not None}}  # type: ignore[no-any-return]


def played(lab: Lab, document: dict[str, Any]) -> tuple[dict[str, Any], list[RunResult]]:
    design = read_design(document)
    target = open_target(design, Fleet(lab.store))
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    return outcome_of(design, results), results


def rows(lab: Lab) -> list[WayBack]:
    with lab.store.read() as session:
        return list(session.query(WayBack).order_by(WayBack.id))


def test_an_index_is_found_better_and_is_gone_afterwards(lab: Lab) -> None:
    before = lab.state()
    found, results = played(lab, INDEX)
    (candidate,) = found["candidates"]
    assert candidate["outcome"] == "better" and candidate["ratios"]["goal"]["throughput"]["ratio"] > 2, candidate
    assert all(run.failed == 0 for run in results) and [one["arm"] for one in found["plans"]["other"]] == ["with index"]
    assert 0.5 < sum(found["arms"][0]["active_sessions"].values()) < 2.05, "two workers, and not whoever looks at them"
    assert lab.state() == before and lab.ours() == 0
    (row,) = rows(lab)
    assert row.done_us is not None and not row.problem and "taken away" in row.commands[0]["words"]


def test_settings_of_sessions_change_nothing_else_and_those_of_the_server_come_back(lab: Lab) -> None:
    before = lab.state()
    arms = [
        {"name": "control"},
        {"name": "memory", "settings": {"work_mem": "17MB"}},
        {"name": "checkpoints", "settings": {"checkpoint_timeout": "31min", "autovacuum_naptime": "44s"}},
    ]
    seen: list[Any] = []
    design = read_design(with_(arms=arms, run={"seconds": "1 s", "blocks": 2}))
    target = open_target(design, Fleet(lab.store))
    try:
        results = play_trial(design, target, lambda *_: seen.append(lab.state()[2]), lambda _: True)
    finally:
        target.close()
    told = {run.planned.arm: run.settings for run in results}
    assert told["memory"]["work_mem"] == "17MB" and told["control"]["work_mem"] == "4MB"
    assert told["checkpoints"]["checkpoint_timeout"] == "31min" and told["control"]["checkpoint_timeout"] == "7min"
    assert told["checkpoints"]["autovacuum_naptime"] == "44s" and told["control"]["autovacuum_naptime"] == "1min"
    assert {one["work_mem"] for one in seen} == {"4096"}, "a setting of the trial's sessions is nobody else's"
    assert {one["checkpoint_timeout"] for one in seen} == {"420", "1860"}
    assert lab.state() == before
    assert [one["words"] for one in rows(lab)[0].commands] == [
        "checkpoint_timeout is set to 420s again", "autovacuum_naptime is as the server's other files have it again: 60s",
    ]  # fmt: skip


def test_an_index_that_an_arm_does_without_is_there_again(lab: Lab) -> None:
    before = lab.state()
    statement = {"sql": "SELECT count(*) FROM loan WHERE due = date '2026-02-01'"}
    workload = {"arrival": {"workers": 1}, "statements": [statement]}
    found, _ = played(lab, with_(workload=workload, arms=[{"name": "control"}, {"name": "without", "drop_indexes": ["loan_due"]}]))  # fmt: skip
    assert found["candidates"][0]["outcome"] == "worse" and lab.state() == before


def test_steps_are_made_under_load_and_set_back(lab: Lab) -> None:
    before = lab.state()
    steps = [
        {"name": "seldom", "settings": {"checkpoint_timeout": "21min"}},
        {"name": "index", "add_indexes": [{"table": "public.loan", "columns": ["patron"]}]},
    ]
    found, results = played(lab, with_(kind="steps", arms=[], steps=steps, run={"seconds": "1.2 s", "blocks": 6}))
    assert found["steps"]["stages"][2]["said"] == "better", found["sentence"]
    assert results[1].settings["checkpoint_timeout"] == "21min" and lab.state() == before


def test_what_is_written_stays_only_where_that_was_stated(lab: Lab) -> None:
    writes = {"arrival": {"workers": 1}, "statements": [{"sql": "UPDATE loan SET note = 'seen' WHERE id = $1", "parameters": [{"low": 1, "high": 50}]}]}  # fmt: skip
    arms = [{"name": "control"}, {"name": "again"}]
    count = "SELECT count(*) FROM loan WHERE note = 'seen'"
    with pytest.raises(BadTrial, match="stays on the server") as refused:
        played(lab, with_(workload=writes, arms=arms))
    assert refused.value.field == "workload.statements.0.sql" and lab.owner.execute(count).fetchone() == (0,)
    hidden = {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT nextval('loan_id_seq')"}]}
    lab.owner.execute("GRANT USAGE ON SEQUENCE loan_id_seq TO desk")
    _, results = played(lab, with_(workload=hidden, arms=arms, run={"seconds": "1 s", "blocks": 2}))
    assert all(run.failed and not run.ended[0] for run in results), "the server keeps its sessions from writing"
    _, results = played(lab, with_(workload=writes, arms=arms, target={"keep_writes": True}, run={"seconds": "1 s", "blocks": 2}))  # fmt: skip
    assert all(not run.failed for run in results) and lab.owner.execute(count).fetchone() != (0,)
    lab.owner.execute("UPDATE loan SET note = 'note' WHERE note = 'seen'")


@pytest.mark.parametrize(
    ("changes", "field", "says"),
    [
        ({"target": {"server": "counter"}}, "target.confirm", "confirm: counter"),
        ({"target": {"server": "nowhere"}}, "target.server", "nowhere"),
        ({"target": {"account": "nobody"}}, "target.account", "no entry nobody"),
        ({"target": {"account": "postgres", "player": None}}, "target.account", "run programs"),
        ({"target": {"player": "postgres"}}, "target.player", "run programs"),
        ({"target": {"account": "desk", "player": "desk"}}, "arms.1.add_indexes", "does not own"),
        ({"target": {"player": "guest"}}, "workload.statements.0.sql", "permission denied"),
        ({"target": {"database": "nowhere"}}, "target.account", "nowhere"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"random_page_cost": "many"}}]}, "arms.1.settings", "random_page_cost"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"max_wal_size": "2GB"}}]}, "arms.1.settings.max_wal_size", "GRANT ALTER SYSTEM"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"shared_buffers": "64MB"}}], "target": {"account": "postgres"}}, "arms.1.settings.shared_buffers", "target.restart"),
        ({"arms": [{"name": "control"}, {"name": "x", "settings": {"archive_command": "true"}}]}, "arms.1.settings.archive_command", "no such setting"),
        ({"arms": [{"name": "control"}, {"name": "x", "add_indexes": [{"table": "shelf", "columns": ["a"]}]}]}, "arms.1.add_indexes", "no table shelf"),
        ({"arms": [{"name": "control"}, {"name": "x", "add_indexes": [{"table": "loan", "columns": ["colour"]}]}]}, "arms.1.add_indexes", "no column colour"),
        ({"arms": [{"name": "control"}, {"name": "x", "add_indexes": [{"table": "loan", "columns": ["due"], "name": "loan_due"}]}]}, "arms.1.add_indexes", "already"),
        ({"arms": [{"name": "control"}, {"name": "x", "drop_indexes": ["loan_pkey"]}]}, "arms.1.drop_indexes", "constraint"),
        ({"workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT 1; DROP TABLE loan"}]}}, "workload.statements.0.sql", "one query"),
        ({"workload": {"arrival": {"workers": 1}, "statements": [{"sql": "RESET ROLE"}]}}, "workload.statements.0.sql", "one query"),
        ({"workload": {"arrival": {"workers": 1}, "statements": [{"sql": "COPY loan TO PROGRAM 'touch /tmp/x'"}]}}, "workload.statements.0.sql", "one query"),
        ({"run": {"seconds": "1 s", "blocks": 2, "cold": True}}, "run.cold", "not emptied"),
    ],
)  # fmt: skip
def test_what_cannot_be_run_names_the_field_and_changes_nothing(
    lab: Lab, changes: dict[str, Any], field: str, says: str
) -> None:
    before = lab.state()
    with pytest.raises(BadTrial) as refused:
        open_target(read_design(with_(**changes)), Fleet(lab.store)).close()
    assert refused.value.field == field and says in str(refused.value), str(refused.value)
    assert lab.state() == before and lab.ours() == 0 and not rows(lab)


def test_a_server_without_the_label_is_tried_on_by_its_name_and_never_searched(lab: Lab) -> None:
    arms = [{"name": "control"}, {"name": "again"}]
    found, _ = played(lab, with_(arms=arms, target={"server": "counter", "confirm": "counter"}, run={"seconds": "1 s", "blocks": 2}))  # fmt: skip
    assert found["blocks"] == 2
    tuner = {"runs": 4, "settings": [{"setting": "random_page_cost", "low": 1, "high": 4}]}
    with pytest.raises(BadTrial, match="searched") as refused:
        open_target(read_design(with_(kind="tuner", arms=[], tuner=tuner, target={"server": "counter", "confirm": "counter"})), Fleet(lab.store))  # fmt: skip
    assert refused.value.field == "target.server"


def command(lab: Lab, folder: Path, document: dict[str, Any]) -> subprocess.Popen[bytes]:
    path = folder / "trial.yaml"
    path.write_text(yaml.safe_dump(document))
    line = [
        sys.executable,
        "-m",
        "hardy_gauge.cli.main",
        "trial",
        str(path),
        "--json",
        "--data",
        str(lab.store.path.parent),
    ]
    return subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)


@pytest.mark.parametrize("how", [signal.SIGTERM, *[signal.SIGKILL] * KILLS])
def test_a_kill_at_any_moment_leaves_the_server_as_it_was(lab: Lab, tmp_path: Path, how: signal.Signals) -> None:
    chance = random.Random(time.time_ns())
    before = lab.state()
    arms = [{"name": "control"}, {"name": "x", "settings": {"checkpoint_timeout": "29min"}, "add_indexes": [{"table": "loan", "columns": ["patron"]}], "drop_indexes": ["loan_due"]}]  # fmt: skip
    process = command(lab, tmp_path, with_(arms=arms, run={"seconds": "1 s", "blocks": 20}))
    wait_until(lambda: rows(lab) or process.poll() is not None)
    assert process.poll() is None
    time.sleep(chance.uniform(0, 4))
    below = psutil.Process(process.pid).children(recursive=True)
    process.send_signal(how)
    said, _ = process.communicate(timeout=PATIENT_S)
    if how == signal.SIGTERM:
        assert process.returncode == 3 and json.loads(said)["verdict"] == "interrupted"
    wait_until(lambda: rows(lab)[-1].done_us is not None)
    assert lab.state() == before and lab.ours() == 0 and not rows(lab)[-1].problem
    _, alive = psutil.wait_procs(below, timeout=PATIENT_S)
    assert not alive, alive


def test_what_even_the_guard_could_not_set_back_is_set_back_by_the_next_trial(lab: Lab) -> None:
    before = lab.state()
    design = read_design(INDEX)
    target = open_target(design, Fleet(lab.store))
    target._become(design.arms[1])  # type: ignore[attr-defined]
    assert lab.state() != before
    with pytest.raises(BadTrial, match="another trial is changing"):
        played(lab, INDEX)
    target._guard._process.kill()  # type: ignore[attr-defined]
    with lab.store.write() as session:  # as if this process were gone, and another had its number
        session.query(WayBack).one().owner = {"process": os.getpid(), "began": 1.0}
    target._watcher.close()  # type: ignore[attr-defined]
    assert way_back.unfinished(lab.store) == [(1, False)]
    assert way_back.set_back_all(lab.store, clock_us()) == [] and lab.state() == before and lab.ours() == 0
    assert way_back.set_back(lab.store, 1, clock_us()) == "", "once is enough"


def test_a_way_back_that_is_not_open_is_said(lab: Lab) -> None:
    design = read_design(INDEX)
    target = open_target(design, Fleet(lab.store))
    target._become(design.arms[1])  # type: ignore[attr-defined]
    with lab.store.write() as session:
        row = session.query(WayBack).one()
        row.commands = [{"sql": "DROP INDEX nowhere", "words": "an index is taken away"}, *row.commands]
    target.close()
    (row,) = rows(lab)
    assert row.done_us is None and "an index is taken away: " in row.problem and "nowhere" in row.problem


def test_from_the_command_line(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "trial.yaml"
    path.write_text(yaml.safe_dump(INDEX))
    said = CliRunner().invoke(app, ["trial", str(path), "--quick", "--json", "--data", str(lab.store.path.parent)])
    document = json.loads(said.stdout)
    assert said.exit_code == 0 and document["verdict"] == "better" and len(document["runs"]) == 6
    assert document["settings_in_force"]["with index"]["work_mem"] == "4MB"
