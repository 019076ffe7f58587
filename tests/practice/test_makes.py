"""A second make of engine: the same physics in other words, with less reported."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.probes.protocol import Refused
from hardy_gauge.probes.wait_map import wait_map
from practice_fleet import frames
from practice_fleet.live import LiveServer
from practice_fleet.makes import FIRST, MAKES, SECOND
from practice_fleet.physics.wait_events import EVENTS
from practice_fleet.server import MINUTE_US
from practice_fleet.settings import CATALOGUE
from tests.practice.shelf import NOW, history


def test_the_families_of_both_makes_are_the_same() -> None:
    one, two = wait_map(FIRST.engine), wait_map(SECOND.engine)
    for event in EVENTS:
        assert two.family(SECOND.event(event)) == one.family(event) and (SECOND.event(event) != event)


def test_the_same_server_in_other_words() -> None:
    one, two = history(), history(cluster__make="practice-2")
    mine, its = LiveServer(one, NOW), LiveServer(two, NOW)
    later = NOW + 5 * MINUTE_US
    assert its.identity(later).engine == "practice-2" and "objects" not in its.identity(later).abilities
    for here, there in zip(mine.statements(later).statements, its.statements(later).statements, strict=True):
        assert here.time_s == there.time_s and here.rows_examined is not None and there.rows_examined is None
        assert {SECOND.event(event): s for event, s in here.wait_s.items()} == there.wait_s
    assert "pages_requested" not in its.counters(later).values and "pages_read" in its.counters(later).values
    plain = frames.statement_frame(two, NOW, later)
    told = SECOND.table("statement", plain)
    assert told["wait.file read"].sum() == plain["wait.page_read"].sum() and "rows_examined" not in told.columns
    seen = SECOND.table("sample", frames.sample_frame(two, NOW, later))
    assert set(seen["wait_event"]) <= {SECOND.event(event) for event in EVENTS}
    assert SECOND.table("metric", pl.DataFrame()).is_empty()


def test_settings_in_its_own_names_and_units() -> None:
    said = {s.name: s for s in LiveServer(history(cluster__make="practice-2"), NOW).settings(NOW).settings}
    assert len(said) == len(CATALOGUE) and "buffer_cache_bytes" not in said
    assert said["page_pool_kib"].value == 268_435_456 / 1024 and said["page_pool_kib"].unit == "KiB"
    assert SECOND.meant("page_pool_kib", 1024) == ("buffer_cache_bytes", 1_048_576)
    assert SECOND.meant("cleaner", "off") == ("upkeep_enabled", "off")
    assert FIRST.meant("buffer_cache_bytes", 5) == ("buffer_cache_bytes", 5)
    with pytest.raises(Refused, match="here it is page_pool_kib"):
        SECOND.meant("buffer_cache_bytes", 1)


def test_every_make_is_whole() -> None:
    for make in MAKES.values():
        assert set(make.events) <= set(EVENTS) and set(make.settings) <= set(CATALOGUE)
        assert len(set(make.events.values())) == len(make.events)
