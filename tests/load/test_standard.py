"""The standard sets: the same data on both engines for a seed, queries with the same answers on both, and the speed of making it is a
benchmark's matter.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import polars as pl
import psycopg
import pytest

from hardy_gauge.lab.instance import Instance
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.parts import StandardData, Target
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.postgres.filling import fill_standard
from hardy_gauge.load.postgres.made import PostgresTarget
from hardy_gauge.load.postgres.server_state import only_reads
from hardy_gauge.load.sqlite_target import _copy
from hardy_gauge.load.standard.maker import StandardSet, description, rows_of
from hardy_gauge.load.standard.size import memory_bytes
from hardy_gauge.load.targets import open_target
from tests.load.test_postgres_target import played

DESK = StandardData(set="desk", scale=0.01, seed=2)
SMALL = StandardData(set="reporting", scale=0.01, seed=4)


@pytest.fixture(scope="module")
def owner() -> Iterator[psycopg.Connection]:
    instance = Instance.made(programs_for(None), None, ["--encoding=UTF8", "--locale=C"])
    try:
        instance.start()
        with instance.connect() as connection:
            fill_standard(connection, SMALL)
            yield connection
    finally:
        instance.remove()


def test_the_same_for_a_seed_and_skewed() -> None:
    one, again, other = ({name: frame for name, frame in rows_of("reporting", 0.01, seed)} for seed in (4, 4, 5))
    assert all(one[name].equals(again[name]) for name in one) and not one["loan"].equals(other["loan"])
    assert len(one["loan"]) == 10_000
    readers = one["loan"]["title_id"].value_counts(sort=True)["count"]
    assert readers[:6].sum() > 0.1 * len(one["loan"]), "one title in a hundred has a tenth of the loans"
    for table, about in description("reporting").tables.items():
        assert one[table].columns == list(about["columns"]) and one[table][about["key"]].is_unique().all()


@pytest.mark.postgres
def test_every_query_has_the_same_answer_on_both_engines(owner: psycopg.Connection, tmp_path: Path) -> None:
    _copy(Target(standard=SMALL), tmp_path / "one.sqlite")
    ours, empty = sqlite3.connect(tmp_path / "one.sqlite"), []
    statements = description("reporting").statements
    assert len(statements) == 20
    for number, one in enumerate(statements):
        left = ours.execute(one["sql"]).fetchall()
        right = owner.execute(one["sql"].encode()).fetchall()
        assert len(left) == len(right), number
        for a, b in zip(left, right, strict=True):
            for mine, theirs in zip(a, b, strict=True):
                same = (
                    mine == theirs
                    if isinstance(mine, str) or mine is None
                    else float(mine) == pytest.approx(float(theirs), rel=1e-9)
                )
                assert same, (number, a, b)
        if not left:
            empty.append(number)
    ours.close()
    assert len(empty) <= 2, f"queries without an answer measure nothing: {empty}"


def test_the_desk_begins_in_agreement_with_itself_on_both_engines(tmp_path: Path) -> None:
    """Its checks hold before any run, and find what was put wrong by hand: a copy lent twice, a till with too much, a debt forgiven."""
    _copy(Target(standard=DESK), tmp_path / "desk.sqlite")
    ours = sqlite3.connect(tmp_path / "desk.sqlite")
    checks = [one["sql"] for one in description("desk").checks]
    assert [ours.execute(sql).fetchone() for sql in checks] == [None] * 3
    for wrong, broken in (
        (
            "INSERT INTO loan (copy_id, patron_id, day_id, returned) SELECT copy_id, 1, 1400, 0 FROM loan WHERE returned = 0 LIMIT 1",
            0,
        ),
        ("UPDATE patron SET owes_cents = owes_cents - 20 WHERE id = 3", 1),
        ("UPDATE branch SET till_cents = till_cents + 20 WHERE id = 5", 2),
    ):
        ours.execute(wrong)
        found = [ours.execute(sql).fetchone() for sql in checks]
        assert [row is not None for row in found] == [place == broken for place in range(3)]
        ours.rollback()


@pytest.mark.parametrize("place", [{"standard": {"set": "desk", "scale": 0.002}}, pytest.param({"postgresql": {"standard": {"set": "desk", "scale": 0.002}}}, marks=pytest.mark.postgres)])  # fmt: skip
def test_the_desk_at_work_keeps_its_mix_and_its_money(place: dict[str, object]) -> None:
    """Many workers on few copies, so that they meet; every transaction is played, and the data agrees with itself after each run."""
    document: dict[str, object] = {
        "title": "the desk", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": place,
        "workload": {"standard": "desk", "arrival": {"workers": 6}},
        "arms": [{"name": "control"}, {"name": "again"}], "run": {"seconds": "1.5 s", "blocks": 2},
    }  # fmt: skip
    drawn = read_design(document).workload.statements[0].parameters[0]
    assert drawn.high == 400, "as many copies as there are at this scale"
    found, results = played(document)
    assert [(one["asked"], one["held"]) for one in found["checks"]] == [(4, 4)] * 3, found["cautions"]
    assert len(found["mix"]) == 6 and all(one["kept"] and one["share"] > 0 for one in found["mix"])
    assert all(min(run.ended) > 0 for run in results) and not any("mix" in one for one in found["cautions"])


def test_a_check_that_the_work_breaks_is_said_and_a_wrong_one_refused() -> None:
    document: dict[str, object] = {
        "title": "lost money", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": {"standard": {"set": "desk", "scale": 0.002}},
        "workload": {
            "arrival": {"workers": 1},
            "statements": [{"name": "give away", "steps": [{"sql": "UPDATE patron SET owes_cents = 0 WHERE id = ?", "parameters": [0]}, {"sql": "SELECT 1"}], "parameters": [{"values": [3, 4, 5]}]}],
            "checks": description("desk").checks[1:2],
        },
        "arms": [{"name": "control"}, {"name": "again"}], "run": {"seconds": "1 s", "blocks": 2},
    }  # fmt: skip
    found, _ = played(document)
    assert found["checks"][0]["held"] == 0 and "does not agree with itself after run 1" in found["cautions"][0]
    document["workload"]["checks"] = [{"name": "none", "sql": "SELECT colour FROM patron"}]  # type: ignore[index]
    with pytest.raises(BadTrial) as refused:
        open_target(read_design(document), None)
    assert refused.value.field == "workload.checks.0.sql"


@pytest.mark.parametrize("name", ["reporting", "desk"])
def test_large_tables_are_made_in_parts(name: StandardSet, monkeypatch: pytest.MonkeyPatch) -> None:
    whole = {table: len(frame) for table, frame in tables(name)}
    monkeypatch.setattr("hardy_gauge.load.standard.drawing.CHUNK", 700)
    parted = dict(tables(name))
    assert len(list(rows_of(name, 0.01, 4))) > 15
    assert {table: len(frame) for table, frame in parted.items()} == whole
    for table, about in description(name).tables.items():
        assert parted[table][about["key"]].is_unique().all()
        assert parted[table].columns == list(about["columns"])
    days = parted["loan"].filter(pl.col("returned") == 1) if name == "desk" else parted["loan"]
    assert days["day_id"].is_sorted() and days["day_id"].min() < 100 and days["day_id"].max() > 1300


def tables(name: StandardSet) -> list[tuple[str, pl.DataFrame]]:
    found: dict[str, list[pl.DataFrame]] = {}
    for table, frame in rows_of(name, 0.01, 4):
        found.setdefault(table, []).append(frame)
    return [(table, pl.concat(frames)) for table, frames in found.items()]


@pytest.mark.postgres
@pytest.mark.parametrize("name", ["reporting", "desk"])
def test_data_larger_than_memory_are(name: StandardSet, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a machine that is said to have 40 MiB: by the size that the server tells of its tables."""
    assert memory_bytes() > 2**28
    monkeypatch.setattr("hardy_gauge.load.standard.size.memory_bytes", lambda: 40 * 2**20)
    document = {
        "title": "large", "goal": {"metric": "throughput", "at_least": "1 /s"}, "workload": {"standard": name},
        "target": {"postgresql": {"standard": {"set": name, "scale": "larger than memory"}}}, "arms": [{"name": "a"}, {"name": "b"}],
    }  # fmt: skip
    design = read_design(document)
    assert design.target.postgresql is not None and design.target.postgresql.standard is not None
    data = design.target.postgresql.standard
    assert 0.3 < data.scale < 0.6 and design.workload.scale == data.scale
    instance = Instance.made(programs_for(None), None, ["--encoding=UTF8", "--locale=C"])
    try:
        instance.start()
        with instance.connect() as connection:
            fill_standard(connection, data)
            (there,) = connection.execute("SELECT sum(pg_total_relation_size(oid)) FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace").fetchone() or (0,)  # fmt: skip
    finally:
        instance.remove()
    assert 40 * 2**20 < there < 2 * 40 * 2**20
    monkeypatch.setattr("hardy_gauge.load.standard.size.memory_bytes", lambda: 2**39)
    for target, field in (
        (document["target"], "target.postgresql.standard.scale"),
        ({"standard": {"set": name, "scale": "larger than memory"}}, "target.standard.scale"),
    ):
        with pytest.raises(BadTrial, match="may be taken") as refused:
            open_target(read_design(document | {"target": target}), None)
        assert refused.value.field == field
    with pytest.raises(BadTrial, match="scale"):
        read_design(document | {"target": {"standard": {"set": name, "scale": "larger than life"}}})


@pytest.mark.postgres
def test_what_only_reads_is_played_without_copies() -> None:
    """A reporting query needs none but for an arm's own index; a function that somebody wrote may write, so its runs have fresh copies."""
    document: dict[str, object] = {
        "title": "reads", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": {"postgresql": {"sample": "library"}},
        "workload": {"statements": [{"sql": "SELECT count(*) FROM loan"}], "arrival": {"workers": 1}},
        "arms": [{"name": "control"}, {"name": "other", "settings": {"work_mem": "1MB"}}], "run": {"seconds": "1 s", "blocks": 2},
    }  # fmt: skip
    indexed = [{"name": "control"}, {"name": "index", "add_indexes": [{"table": "loan", "columns": ["due_day"]}]}]
    assert only_reads("SELECT count(*) FROM loan")
    for text in (
        "SELECT own_function() FROM loan",
        "SELECT id FROM loan FOR UPDATE",
        "CALL lend(1)",
        "SELECT 1; DELETE FROM loan",
    ):
        assert not only_reads(text)
    for changes, copies in (({}, 0), ({"arms": indexed}, 1)):
        design, frames = read_design(document | changes), []
        target = open_target(design, None)
        assert isinstance(target, PostgresTarget)
        try:
            assert len(list(target._base.folder.glob("arm-*"))) == copies
            play_trial(design, target, lambda _, frame, kept=frames: kept.append(frame), lambda _: True)
            assert not list(target._base.folder.glob("run"))
        finally:
            target.close()
        assert len(frames) == 4 and all(len(one) > 3 and not one["failed"].any() for one in frames)


@pytest.mark.postgres
def test_a_step_under_load_leaves_the_data_as_they_are() -> None:
    """An index is built while a workload that only reads is played: the next load begins without it."""
    document: dict[str, object] = {
        "kind": "steps", "title": "step", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": {"postgresql": {"sample": "library"}},
        "workload": {"statements": [{"sql": "SELECT count(*) FROM loan WHERE due_day = 7"}], "arrival": {"workers": 1}},
        "steps": [{"name": "index", "add_indexes": [{"table": "loan", "columns": ["due_day"]}]}], "run": {"seconds": "1 s", "blocks": 2},
    }  # fmt: skip
    design = read_design(document)
    target = open_target(design, None)
    assert isinstance(target, PostgresTarget)
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
        start = Instance(target._base.programs, Path(target.arms[design.arms[0].name]["folder"]))
        start.start()
        with start.connect("trial") as owner:
            indexes = owner.execute("SELECT indexdef FROM pg_indexes WHERE tablename = 'loan'").fetchall()
        start.stop()
    finally:
        target.close()
    assert len(results) == 4 and not any("(due_day)" in str(one) for one in indexes), indexes
