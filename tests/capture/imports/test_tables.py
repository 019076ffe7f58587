"""CSV after RFC 4180, JSON Lines and Parquet: every row or its reason; the layout guessed, corrected, remembered."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from hardy_gauge.capture.imports import import_service, tables
from hardy_gauge.capture.imports.columns import Layout, Source, guess, wrong
from hardy_gauge.capture.imports.reading import look
from hardy_gauge.capture.imports.rejected_rows import ImportRefused, RejectedRows
from hardy_gauge.capture.imports.rows import rows_of
from hardy_gauge.capture.imports.tables import read_table
from hardy_gauge.store.database import Store
from tests.capture.imports.bench import bring, left, stored, stored_import

EXECUTIONS = """end_time,duration_ms,query,user_name,rows
2026-03-02T09:00:00Z,120,SELECT title FROM title WHERE id = 7,maren,1
2026-03-02T09:00:01.5+02:00,80.5,"SELECT 'a, b' FROM t",tove,
2026-03-02 09:00:02,soon,SELECT 1,maren,1
,10,SELECT 1,maren,1
2026-03-02T09:00:03Z,-4,SELECT 1,maren,1
2026-03-02T09:00:04Z,30,SELECT title FROM title WHERE id = 9,maren,1
"""


def table(content: str, folder: Path, name: str = "x.csv") -> tuple[pl.DataFrame, RejectedRows]:
    rest, path = RejectedRows(), folder / "x"
    path.write_bytes(content.encode())
    return read_table(path, name, rest), rest


# the rules of RFC 4180, section 2, each with its own example
RFC_4180 = {
    "1 records on lines of their own": ("aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", ["aaa", "bbb", "ccc"], [["zzz", "yyy", "xxx"]]),
    "2 the last line may have no end": ("aaa,bbb,ccc\r\nzzz,yyy,xxx", ["aaa", "bbb", "ccc"], [["zzz", "yyy", "xxx"]]),
    "3 a heading": (
        "field_name,field_name2,field_name3\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n",
        ["field_name", "field_name2", "field_name3"], [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]],
    ),
    "5 fields in quotes": ('"aaa","bbb","ccc"\r\nzzz,yyy,xxx', ["aaa", "bbb", "ccc"], [["zzz", "yyy", "xxx"]]),
    "6 line ends and commas in quotes": (
        'a,b,c\r\n"aaa","b\r\nbb","ccc"\r\nzzz,"y,y",xxx', ["a", "b", "c"], [["aaa", "b\r\nbb", "ccc"], ["zzz", "y,y", "xxx"]],
    ),
    "7 quotes are doubled": ('a,b,c\r\n"aaa","b""bb","ccc"', ["a", "b", "c"], [["aaa", 'b"bb', "ccc"]]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "headings", "rows"), RFC_4180.values(), ids=RFC_4180.keys())
def test_rfc_4180(text: str, headings: list[str], rows: list[list[str]], tmp_path: Path) -> None:
    frame, rest = table(text, tmp_path)
    assert frame.columns == [*headings, "line"]
    assert [list(row[:-1]) for row in frame.rows()] == rows and not rest.count


def test_lines_are_counted_through_fields_of_several_lines(tmp_path: Path) -> None:
    frame, _ = table('a,b\r\n"one\r\ntwo",1\r\nthree,2\r\n', tmp_path)
    assert frame["line"].to_list() == [2, 4]


def test_a_line_with_too_few_or_too_many_fields_is_named(tmp_path: Path) -> None:
    for odd in ("x", "x,y,z"):
        frame, rest = table(f"a,b\n1,2\n{odd}\n3,4\n", tmp_path)
        assert frame["a"].to_list() == ["1", "3"] and frame["line"].to_list() == [2, 4]
        assert rest.listed == [(3, f"another number of fields than the heading: {len(odd.split(','))}, not 2")]


@given(
    rows=st.lists(
        st.lists(st.text(st.characters(codec="utf-8", exclude_characters="\0")), min_size=2, max_size=2), max_size=8
    )
)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=60)
def test_any_table_that_the_csv_module_writes_is_read_as_it_reads_it(rows: list[list[str]], tmp_path: Path) -> None:
    """Reference: Python's csv module. An empty field is nothing."""
    buffer = io.StringIO(newline="")
    csv.writer(buffer).writerows([["a", "b"], *rows])
    frame, rest = table(buffer.getvalue(), tmp_path)
    said = [[text or None for text in row] for row in csv.reader(io.StringIO(buffer.getvalue(), newline=""))][1:]
    assert [[text or None for text in row[:2]] for row in frame.rows()] == said and not rest.count


@given(content=st.binary(max_size=300))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=150)
def test_no_bytes_break_the_reading(content: bytes, tmp_path: Path) -> None:
    path = tmp_path / "x"
    for name, prefix in (("x", b""), ("x.jsonl", b'{"a": 1}\n'), ("x.csv", b"duration,end,query\n"), ("x", b"PAR1")):
        path.write_bytes(prefix + content)
        try:
            found = look(path, name, {})
        except ImportRefused as error:
            assert str(error)
        else:
            assert found.format


def test_executions_are_taken_and_each_other_line_has_its_reason(store: Store, tmp_path: Path) -> None:
    row = bring(store, tmp_path, EXECUTIONS, "slow.csv")
    assert (row.state, row.accepted, row.rejected_count, row.servers) == ("done", 3, 3, ["east"])
    assert left(row) == [
        (4, "duration_ms is not a duration: soon"), (5, "end_time is empty"), (6, "duration_ms is below zero: -4"),
    ]  # fmt: skip
    frame = stored(store, "execution")
    assert frame["duration_s"].to_list() == pytest.approx([0.0805, 0.12, 0.03])
    assert frame["ended_at_us"].to_list() == [1772434801_500000, 1772442000_000000, 1772442004_000000]
    assert frame["text"].n_unique() == 2, "literals are replaced, so two of the three are one statement"
    assert frame["user"].to_list() == ["tove", "maren", "maren"] and frame["rows_returned"].to_list() == [None, 1, 1]
    assert stored(store, "statement").is_empty(), "executions above a threshold are no sums"


def test_taken_twice_is_taken_once(store: Store, tmp_path: Path) -> None:
    bring(store, tmp_path, EXECUTIONS, "slow.csv")
    before = stored(store, "execution")
    again = bring(store, tmp_path, EXECUTIONS, "slow.csv")
    assert (again.state, again.accepted) == ("done", 0) and "imported already" in again.detail
    grown = bring(store, tmp_path, EXECUTIONS + "2026-03-02T09:00:05Z,9,SELECT 1,maren,1\n", "slow.csv")
    assert grown.accepted == 1 and grown.rejected["reasons"]["it is there already"] == 3
    assert len(stored(store, "execution")) == len(before) + 1


def test_rows_alike_are_as_many_as_in_the_file(store: Store, tmp_path: Path) -> None:
    line = "2026-03-02T09:00:00Z,120,SELECT 1\n"
    bring(store, tmp_path, "end,duration_ms,query\n" + line * 2, "a.csv")
    third = bring(store, tmp_path, "end,duration_ms,query\n" + line * 3, "b.csv")
    assert third.accepted == 1 and len(stored(store, "execution")) == 3


def test_undo_takes_out_the_whole_import_and_nothing_else(store: Store, tmp_path: Path) -> None:
    first = bring(store, tmp_path, EXECUTIONS, "slow.csv")
    kept = stored(store, "execution")
    second = bring(store, tmp_path, EXECUTIONS.replace("2026-03-02", "2026-03-05"), "later.csv")
    assert len(stored(store, "execution")) == 6
    import_service.undo(store, second.id)
    assert stored(store, "execution").equals(kept) and stored_import(store, second.id).state == "undone"
    import_service.undo(store, first.id)
    assert stored(store, "execution").is_empty()
    with pytest.raises(ImportRefused, match="only an import that is done"):
        import_service.undo(store, first.id)
    other = bring(store, tmp_path, EXECUTIONS.replace("duration_ms", "duration_s"), "slow.csv")
    assert other.accepted == 3 and stored(store, "execution")["duration_s"].max() == pytest.approx(120), (
        "nothing old is shown"
    )


def test_all_executions_make_the_sums_by_minute(store: Store, tmp_path: Path) -> None:
    layout = Layout(
        kind="executions", whole=True,
        columns={"ended_at": Source(column="end", unit="epoch s"), "duration": Source(column="took", unit="ms"), "text": Source(column="sql")},
    )  # fmt: skip
    rows = "".join(f"{1772442000 + i},{i},SELECT {i}\n" for i in range(120))
    row = bring(store, tmp_path, "end,took,sql\n" + rows, layout=layout)
    assert row.accepted == 120
    sums, load = stored(store, "statement"), stored(store, "metric")
    assert sums["calls"].to_list() == [60, 60] and sums["time_s"].sum() == pytest.approx(sum(range(120)) / 1000)
    assert load.select("at_us", "calls", "time_s").rows() == sums.select("at_us", "calls", "time_s").rows()


COUNTED = """time,query,calls,total_time_ms
1772442000,SELECT 1,100,5000
1772442060,SELECT 1,160,5600
1772442120,SELECT 1,10,90
1772442180,SELECT 1,30,290
"""


def test_figures_that_count_up_are_differences_and_a_reset_tells_nothing(store: Store, tmp_path: Path) -> None:
    row = bring(store, tmp_path, COUNTED + COUNTED.split("\n", 1)[1].replace("SELECT 1", "SELECT x"), "counted.csv",
                layout=guess(pl.read_csv(io.StringIO(COUNTED), infer_schema=False)).model_copy(update={"cumulative": True}))  # fmt: skip
    assert [(line, why.split()[0:3]) for line, why in left(row)] == [
        (2, ["the", "first", "reading"]), (4, ["a", "figure", "fell"]),
        (6, ["the", "first", "reading"]), (8, ["a", "figure", "fell"]),
    ]  # fmt: skip
    frame = stored(store, "statement").filter(pl.col("text") == "SELECT $1")
    assert frame.select("at_us", "span_s", "calls", "time_s").rows() == [
        (1772442000_000000, 60.0, 60.0, pytest.approx(0.6)), (1772442120_000000, 60.0, 20.0, pytest.approx(0.2)),
    ]  # fmt: skip


def test_jsonl_and_parquet_give_what_csv_gives(store: Store, tmp_path: Path) -> None:
    good = "\n".join(
        line for line in EXECUTIONS.splitlines() if "soon" not in line and ",-4," not in line and line[0] != ","
    )
    frame = pl.read_csv(io.StringIO(good), infer_schema=False)
    parquet, lines = io.BytesIO(), io.BytesIO()
    frame.with_columns(pl.col("duration_ms").cast(pl.Float64)).write_parquet(parquet)
    frame.write_ndjson(lines)
    bring(store, tmp_path, good, "a.csv", server="a")
    for server, body, name in (("b", lines.getvalue(), "b.jsonl"), ("c", parquet.getvalue(), "c.parquet")):
        row = bring(store, tmp_path, body, name, server=server)
        assert (row.state, row.accepted, row.rejected_count) == ("done", 3, 0), row.detail
        columns = ["ended_at_us", "duration_s", "text", "user", "rows_returned"]
        assert (
            stored(store, "execution", server).select(columns).rows()
            == stored(store, "execution", "a").select(columns).rows()
        )


def test_lines_that_are_no_json_objects_are_named(store: Store, tmp_path: Path) -> None:
    lines = '{"end": "2026-03-02T09:00:00Z", "duration": 1, "query": "SELECT 1"}\n\n[1]\n{"end": \n'
    row = bring(store, tmp_path, lines, "a.jsonl")
    assert row.accepted == 1 and left(row) == [(3, "not a JSON object"), (4, "not a line of JSON")]


def test_a_layout_that_was_agreed_is_used_for_the_next_file_with_these_headings(store: Store, tmp_path: Path) -> None:
    layout = Layout(
        kind="executions",
        columns={
            n: Source(column=c, unit=u)
            for n, c, u in (("ended_at", "k", "epoch s"), ("duration", "d", "ns"), ("text", "q", ""))
        },
    )
    with store.write() as session:
        import_service.remember(session, ["k", "d", "q", "line"], layout)
    path = tmp_path / "x"
    path.write_text("q,k,d\nSELECT 1,1772442000,5\n")
    with store.read() as session:
        known = import_service.known_layouts(session)
    assert look(path, "x.csv", known).layout == layout
    assert look(path, "x.csv", {}).fault is not None, "it could not have been guessed"


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"duration": Source(column="took", unit="s")}, "columns.duration.column", "no column 'took'"),
        ({"duration": Source(column="duration_ms", unit="km")}, "columns.duration.unit", "one of s, ms, us, ns, min"),
        ({"speed": Source(column="rows")}, "columns.speed", "one of ended_at"),
    ],
)
def test_a_layout_that_does_not_fit_is_refused_by_field(change: dict[str, Source], field: str, words: str) -> None:
    frame = pl.read_csv(io.StringIO(EXECUTIONS), infer_schema=False)
    layout = guess(frame)
    assert wrong(layout, frame.columns) is None
    found = wrong(layout.model_copy(update={"columns": layout.columns | change}), frame.columns)
    assert found is not None and found[0] == field and words in found[1]


GUESSES = {
    "log_time,query_time,sql_text,lock_time": {"ended_at": ("log_time", "ISO 8601"), "duration": ("query_time", "s"), "text": ("sql_text", "")},
    "started_at,elapsed_us,statement,database": {"started_at": ("started_at", "ISO 8601"), "duration": ("elapsed_us", "us"), "text": ("statement", ""), "database": ("database", "")},
    "at,query,calls,mean_time_ms,rows": {"at": ("at", "ISO 8601"), "text": ("query", ""), "calls": ("calls", ""), "time_per_call": ("mean_time_ms", "ms"), "rows_returned": ("rows", "")},
}  # fmt: skip


@pytest.mark.parametrize(("headings", "expected"), GUESSES.items(), ids=GUESSES.keys())
def test_what_columns_are_is_guessed_by_their_names(headings: str, expected: dict[str, tuple[str, str]]) -> None:
    layout = guess(pl.DataFrame({name: ["x"] for name in headings.split(",")}))
    assert {name: (source.column, source.unit) for name, source in layout.columns.items()} == expected


def lines_of_executions(count: int) -> list[str]:
    users = ["desk", " web ", "", None, "night"]
    rows = (
        {"ended_at": f"2026-03-02T09:{n // 60 % 60:02}:{n % 60:02}", "duration_ms": n % 7 + 0.5, "query": f"SELECT {'a' * (n % 3)}  ", "user": users[n % 5]}
        for n in range(count)
    )  # fmt: skip
    return [json.dumps(row) for row in rows]


def test_lines_read_block_by_block_are_those_read_at_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "executions.jsonl"
    path.write_text("\n".join(lines_of_executions(30_000)), encoding="utf-8")
    whole = read_table(path, path.name, RejectedRows())
    monkeypatch.setattr(tables, "BLOCK_BYTES", 100_000)
    blocks = read_table(path, path.name, RejectedRows())
    assert blocks.schema["user"] == pl.Categorical and whole.schema["user"] == pl.String
    assert blocks.with_columns(pl.col(pl.Categorical).cast(pl.String)).equals(whole) and len(whole) == 30_000
    layout = guess(whole)
    of_blocks, of_whole = (rows_of(table, layout, RejectedRows()) for table in (blocks, whole))
    assert of_blocks.schema["text"] == pl.Enum and of_blocks["user"].to_list() == of_whole["user"].to_list()
    few = rows_of(whole.head(5_000), layout, RejectedRows())  # of few rows texts stay texts
    assert few.schema["user"] == pl.String
    same = of_blocks.filter(pl.col("line") <= 5_000).with_columns(pl.col(pl.Enum).cast(pl.String))
    assert few.sort("line").to_dicts() == same.sort("line").to_dicts()
    assert few["user"].unique().sort().to_list() == ["", "desk", "night", "web"]


@pytest.mark.parametrize("amiss", ['{"ended_at": 3', "[1, 2]", '{"line": 1}'])
def test_a_line_amiss_in_a_later_block_is_named(amiss: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tables, "BLOCK_BYTES", 20_000)
    lines = lines_of_executions(3_000)
    lines[2_500] = amiss
    path = tmp_path / "executions.jsonl"
    path.write_text("\n".join(lines), encoding="utf-8")
    rejected = RejectedRows()
    table = read_table(path, path.name, rejected)
    taken = rows_of(table, guess(table), rejected)
    assert len(taken) == 2_999 and [line for line, _ in rejected.listed] == [2_501]
