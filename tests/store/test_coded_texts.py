"""Texts that are stored as codes are the same texts: in blocks of any size and of before, read together, merged, and with none among them."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.store import coded_texts, segment_rows, segments
from hardy_gauge.store.blocks import encode_block
from hardy_gauge.store.database import Store
from tests.queries.builder import Built

DAY, SECOND = segments.DAY_US, 1_000_000
TEXTS = ("wait_family", "user", "client")


def samples(day: int, rows: int, first: int = 0) -> pl.DataFrame:
    number = pl.int_range(first, first + rows, eager=True)
    return pl.DataFrame(
        {
            "at_us": DAY * day + number * SECOND,
            "session": number % 7,
            "wait_family": pl.Series(["processor", "data read", None]).gather(number % 3),
            "user": pl.Series(["ada", "ben"]).gather(number % 2) + str(day),
            "client": pl.Series([None] * rows, dtype=pl.String),
            "note": pl.Series(["any text"] * rows),
        }
    )


@pytest.fixture
def stored(store: Store) -> tuple[Store, list[int], pl.DataFrame]:
    """Two servers; of the first a large block, a small one and one as they were written before."""
    built = Built(store)
    servers = [built.server("a"), built.server("b")]
    large, small, plain, other = samples(1, 4000), samples(1, 10, 4000), samples(2, 4000), samples(1, 2000)
    built.rows(servers[0], "sample", large)
    built.rows(servers[0], "sample", small)
    with store.write() as session:
        end = int(plain["at_us"][-1]) + 1
        old = segments.Block("sample", int(plain["at_us"][0]), end, len(plain), encode_block(plain))
        segments.append_block(session, servers[0], old)
    built.rows(servers[1], "sample", other)
    owners = [pl.lit(number, dtype=pl.Int32).alias("server_id") for number in (servers[0], servers[1])]
    whole = pl.concat([pl.concat([large, small, plain]).with_columns(owners[0]), other.with_columns(owners[1])])
    return store, servers, whole


def read(store: Store, servers: list[int], as_codes: bool) -> pl.DataFrame:
    segment_rows.forget_decoded()
    with store.read() as session:
        return segments.read(session, servers, "sample", 0, 4 * DAY, as_codes=as_codes)


def in_order(frame: pl.DataFrame) -> pl.DataFrame:
    return frame.select(sorted(frame.columns)).sort("server_id", "at_us")


@pytest.mark.parametrize("merged", [False, True])
def test_texts_are_the_same_however_they_are_stored(
    stored: tuple[Store, list[int], pl.DataFrame], merged: bool
) -> None:
    store, servers, whole = stored
    if merged:
        with store.write() as session:
            assert segments.compact(session, 10 * DAY) == 1
    plain, codes = (read(store, servers, as_codes) for as_codes in (False, True))
    assert all(plain.schema[name] == pl.String for name in (*TEXTS, "note"))
    assert all(codes.schema[name] == pl.Categorical for name in TEXTS) and codes.schema["note"] == pl.String
    assert in_order(plain).equals(in_order(whole), null_equal=True)
    assert in_order(codes.with_columns(pl.col(TEXTS).cast(pl.String))).equals(in_order(whole), null_equal=True)


def test_counts_by_code_are_counts_by_text(stored: tuple[Store, list[int], pl.DataFrame]) -> None:
    store, servers, whole = stored
    found = read(store, servers, as_codes=True).filter(pl.col("user") == "ada1").group_by("wait_family").len()
    wanted = whole.filter(pl.col("user") == "ada1").group_by("wait_family").len()
    assert dict(found.with_columns(pl.col("wait_family").cast(pl.String)).iter_rows()) == dict(wanted.iter_rows())


def test_texts_without_end_stay_plain(
    stored: tuple[Store, list[int], pl.DataFrame], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A column with more texts than are coded is plain in every answer, also together with what was coded before."""
    store, servers, whole = stored
    assert read(store, servers, as_codes=True).schema["user"] == pl.Categorical
    known = int(pl.Series(["a text that nobody has used"]).cast(pl.Categorical).to_physical()[0])
    monkeypatch.setattr(coded_texts, "MOST_TEXTS", known + 100)
    monkeypatch.setattr(coded_texts, "_endless", set())
    routes = samples(3, 3000).with_columns(route=pl.lit("/loan/") + pl.int_range(3000).cast(pl.String))
    Built(store).rows(servers[1], "sample", routes)
    block = coded_texts.stored_texts("sample", routes)
    assert block.schema["route"] == pl.String and block.schema["user"] == pl.Categorical
    for _ in range(2):
        found = read(store, servers, as_codes=True)
        assert found.schema["route"] == pl.String and found.schema["user"] == pl.Categorical
        assert found["route"].drop_nulls().n_unique() == 3000 and len(found) == len(whole) + 3000
    later = pl.DataFrame({"route": ["/new"] * 2000})
    assert coded_texts.coded("sample", later).schema["route"] == pl.String
