"""What is kept decoded: as many bytes as it may be, the last used, and what a frame of a few rows really takes."""

from __future__ import annotations

import polars as pl

from hardy_gauge.capture.collector import Collector
from hardy_gauge.store import segment_rows
from hardy_gauge.store.database import Store
from hardy_gauge.store.decoded_cache import LEAST_COLUMN, DecodedCache
from tests.queries.builder import Built

FRAME = pl.DataFrame({"a": [1], "b": [2]})


def test_a_column_of_a_row_counts_for_what_is_allocated() -> None:
    cache = DecodedCache(20 * LEAST_COLUMN)
    for number in range(30):
        cache.put(number, FRAME, 16)
    kept = [number for number in range(30) if cache.get(number) is not None]
    assert kept == list(range(21, 30)), "nine of two columns and their rows"


def test_with_less_room_the_last_used_stay() -> None:
    cache = DecodedCache(1000 * LEAST_COLUMN)
    for number in range(10):
        cache.put(number, FRAME, 0)
    cache.at_most(12 * LEAST_COLUMN)
    assert cache.get(0) is not None
    cache.put("new", FRAME, 0)
    assert [number for number in range(10) if cache.get(number) is not None] == [0, 6, 7, 8, 9]


def test_room_grows_with_the_servers_that_are_recorded(store: Store) -> None:
    collector = Collector(store)
    rooms = []
    for number in range(2):
        Built(store).server(f"s{number}")
        collector.refresh()
        rooms.append(segment_rows._decoded._most)
    collector.stop()
    assert rooms[1] - rooms[0] == segment_rows.KEPT_BYTES_A_SERVER
