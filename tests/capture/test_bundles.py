"""Bundles: what goes in comes out, anywhere, once; damaged ones are refused whole."""

from __future__ import annotations

import csv
import io
import json
import tempfile
import zipfile
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from polars.testing import assert_frame_equal
from sqlalchemy import func, select

from hardy_gauge.capture import bundles
from hardy_gauge.capture.bundle_parts import BadBundle, serve
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.capture.targets import capture_targets
from hardy_gauge.core.figures.csv_cells import neutral
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Account, CaptureState, Change, Plan, Segment, Server, Snapshot, Statement

HOUR_US = 3_600_000_000
# a practice server has no sessions that hold others up while they do nothing, says nothing in this hour, and tells no groups of
# connections
RECORDED = tuple(kind for kind in segments.KINDS if kind not in ("holder", "message", "connection"))


@pytest.fixture(scope="module")
def recorded(practice: str, tmp_path_factory: pytest.TempPathFactory) -> tuple[Store, bytes, tuple[int, int]]:
    store = Store(tmp_path_factory.mktemp("origin") / "store.db")
    desk = next(s for s in register(store, discover(practice)) if s.name == "desk-a")
    now = clock_us()
    with store.write() as session:
        session.get_one(CaptureState, desk.server_id).recorded_until_us = now - 2 * HOUR_US
        session.add(Account(name="watch", user="g", secret=b"planted", groups=[], changed_us=1))
    backfill(store, desk.server_id, desk.probe, desk.identity, now)  # type: ignore[arg-type]
    span = (now - HOUR_US, now)
    written = {"at_us": [now - HOUR_US // 2], "span_s": [60.0], "table": ["loan"], "column": [None], "inserts": [3.0]}
    index = {"at_us": written["at_us"], "table": ["loan"], "index": ["loan_pk"], "lookups": [5.0], "bytes": [8192]}
    sequence = {"at_us": written["at_us"], "sequence": ["loan_id_seq"], "value": [7], "most": [2**31 - 1]}
    with store.write() as session:
        segments.append(session, desk.server_id, "table", pl.DataFrame(written, schema_overrides={"column": pl.String}))
        segments.append(session, desk.server_id, "index", pl.DataFrame(index))
        segments.append(session, desk.server_id, "sequence", pl.DataFrame(sequence))
    return store, bundles.write(store, [desk.server_id], *span, now), span


def file_of(content: bytes) -> Path:
    path = Path(tempfile.mkdtemp()) / "x.bundle"
    path.write_bytes(content)
    return path


class Questions:
    """The sandbox's connection, with what is asked over it."""

    def __init__(self, *asked: dict[str, str]) -> None:
        self.asked, self.answers = list(asked), []

    def recv_bytes(self) -> bytes:
        if not self.asked:
            raise EOFError
        return json.dumps(self.asked.pop(0)).encode()

    def send_bytes(self, answer: bytes) -> None:
        self.answers.append(json.loads(answer))


def rows(store: Store, name: str, kind: segments.Kind, span: tuple[int, int]) -> pl.DataFrame:
    with store.read() as session:
        server = session.scalars(select(Server).where(Server.name == name)).one()
        prints = {s.id: s.fingerprint for s in session.scalars(select(Statement))}
        frame = segments.read(session, [server.id], kind, *span).drop("server_id")
    if "statement" in frame.columns:
        frame = frame.with_columns(pl.col("statement").replace_strict(prints, default=None).alias("statement"))
    columns = sorted(frame.columns)
    return frame.select(columns).sort(columns)


def test_everything_comes_out_as_it_was(recorded: tuple[Store, bytes, tuple[int, int]], store: Store) -> None:
    origin, content, span = recorded
    with store.write() as session:
        session.add(Statement(fingerprint="0" * 16, text="SELECT 1", kind="select", first_seen_us=1))  # ids differ
    opened = bundles.open_in(store, file_of(content))
    assert opened.new and opened.servers == ["desk-a"]
    for kind in RECORDED:
        assert_frame_equal(rows(origin, "desk-a", kind, span), rows(store, "desk-a", kind, span))
        assert len(rows(store, "desk-a", kind, (0, 2**62))) == len(rows(store, "desk-a", kind, span)) > 0
    with store.read() as session:
        plans = session.scalar(select(func.count()).select_from(Plan))
        with origin.read() as before:
            used = {
                i
                for kind in ("statement", "sample", "execution")
                for i in segments.read(before, [1], kind, *span)["statement"]
            }
            mine = select(func.count()).select_from(Plan).where(Plan.statement_id.in_(used))
            assert plans == before.scalar(mine) and plans, "the plans of the statements that are in it"
        assert {s.kind for s in session.scalars(select(Snapshot))} == {"settings", "schema"}
    assert capture_targets(store, clock_us()) == [], "nobody tries to record it"


def test_twice_is_once_and_it_goes_out_whole(recorded: tuple[Store, bytes, tuple[int, int]], store: Store) -> None:
    content = recorded[1]
    first = bundles.open_in(store, file_of(content))
    again = bundles.open_in(store, file_of(content))
    assert (again.servers, again.new) == (first.servers, False)
    assert bundles.remove(store, first.id) == 1 and bundles.remove(store, first.id) == 0
    with store.read() as session:
        for table in (Server, Segment, Snapshot, Plan, Change, CaptureState):
            assert session.scalar(select(func.count()).select_from(table)) == 0


def test_a_name_that_is_taken_stays_with_its_owner(recorded: tuple[Store, bytes, tuple[int, int]]) -> None:
    origin, content, _ = recorded
    before = rows(origin, "desk-a", "metric", (0, 2**62))
    opened = bundles.open_in(origin, file_of(content))
    assert opened.servers == [f"desk-a-{opened.id[:6]}"]
    assert_frame_equal(rows(origin, "desk-a", "metric", (0, 2**62)), before)
    bundles.remove(origin, opened.id)


def test_no_account_and_no_address_goes_along(recorded: tuple[Store, bytes, tuple[int, int]]) -> None:
    with zipfile.ZipFile(io.BytesIO(recorded[1])) as archive:
        parts = b"".join(archive.read(name) for name in archive.namelist())
    assert b"planted" not in parts and b"127.0.0.1" not in parts and b"watch" not in parts


def test_lists_are_texts_in_csv() -> None:
    frame = pl.DataFrame({"blockers": [[4, 7], None, [9]], "a": ["=1", "b", "c"]})
    assert neutral(frame).write_csv() == "blockers,a\n4 7,'=1\n,b\n9,c\n"


def test_export_to_files(recorded: tuple[Store, bytes, tuple[int, int]], tmp_path: Path) -> None:
    origin, content, span = recorded
    names = {path.name for path in bundles.export(file_of(content), tmp_path / "p", "parquet")}
    assert names == {f"desk-a-{kind}.parquet" for kind in RECORDED}
    bundles.export(file_of(content), tmp_path / "c", "csv")
    frame = pl.read_parquet(tmp_path / "p" / "desk-a-statement.parquet")
    with (tmp_path / "c" / "desk-a-statement.csv").open(newline="", encoding="utf-8") as file:
        lines = list(csv.DictReader(file, strict=True))
    assert [row["text"] for row in lines] == frame["text"].to_list() and frame["text"].null_count() == 0
    assert sum(float(row["calls"]) for row in lines) == pytest.approx(
        rows(origin, "desk-a", "statement", span)["calls"].sum()
    )


def spoilt(content: bytes, name: str, with_: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
        for item in old.namelist():
            new.writestr(item, with_ if item == name else old.read(item))
    return out.getvalue()


@pytest.mark.parametrize(("name", "with_", "words"), [
    ("manifest.json", b"{}", "manifest"), ("manifest.json", b"no", "manifest"), ("0/sample.parquet", b"PAR1", "damaged"),
    ("0/plans.json", b"[1]", "not as expected"), ("0/plans.json", b"[", "damaged"), ("0/settings.json", b"[]", "not as expected"),
    ("statements.parquet", b"", "damaged"), ("0/changes.json", b'[{"colour": 1}]', "not as expected"),
])  # fmt: skip
def test_a_damaged_bundle_is_refused_whole(
    recorded: tuple[Store, bytes, tuple[int, int]], store: Store, name: str, with_: bytes, words: str
) -> None:
    with pytest.raises(BadBundle, match=words):
        bundles.open_in(store, file_of(spoilt(recorded[1], name, with_)))
    with store.read() as session:
        assert session.scalar(select(func.count()).select_from(Server)) == 0
        assert session.scalar(select(func.count()).select_from(Statement)) == 0


@given(st.binary(max_size=200), st.integers(0, 10_000))
def test_no_bytes_crash_the_reader(noise: bytes, at: int) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("manifest.json", json.dumps({"format": bundles.FORMAT}))
    whole = bytearray(buffer.getvalue())
    whole[at % len(whole) : at % len(whole) + len(noise)] = noise
    for content in (noise, bytes(whole)):
        connection = Questions({"do": "document", "name": "manifest.json", "path": str(file_of(content))})
        serve(connection, Path("."))  # type: ignore[arg-type]
        (answer,) = connection.answers
        assert answer.keys() & {"damaged", "document", "missing"}
