"""Sizing aids: formulas against examples worked by hand; what is common practice is marked so in the aids."""

from __future__ import annotations

from dataclasses import replace

import pytest

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.aids import AIDS
from hardy_gauge.core.capacity.known import Busy, Known, Volume
from hardy_gauge.core.capacity.log_capacity import capacity_for, distance_of
from hardy_gauge.core.capacity.memory_budget import SYSTEM_BYTES, MemoryBudget
from hardy_gauge.core.capacity.queueing import longest_response_s, sessions_at_work
from hardy_gauge.core.capacity.sheet import sizing_sentence
from hardy_gauge.core.evidence.sources import SettingFact
from hardy_gauge.core.handbook.articles import articles

GIB = 2**30
FIGURES = {
    "active_sessions": Busy(4.0, 10.0, 30.0),
    "calls_per_s": Busy(300.0, 500.0, 900.0),
    "response_s": Busy(0.02, 0.05, 1.0),
    "log_bytes_per_s": Busy(1e6, 2e6, 9e6),
    "sessions_open": Busy(80.0, 95.0, 100.0),
    "pages_written": Busy(200.0, 500.0, 900.0),
    "pages_written_by_sessions": Busy(0.0, 20.0, 90.0),
}
SETTINGS = {
    "buffer_cache_bytes": 4 * GIB,
    "sort_memory_bytes": 4 * 2**20,
    "session_memory_bytes": 2**20,
    "max_sessions": 110,
    "log_capacity_bytes": GIB,
    "checkpoint_interval_s": 300,
    "buffer_cache_partitions": 1,
    "background_write_rate": 200,
}
VOLUME = Volume("data", Busy(100.0, 900.0, 1500.0), Busy(1e6, 5e7, 9e7), 1000.0, 2e8)


def known(memory: float | None = 16 * GIB, volumes: tuple[Volume, ...] = (VOLUME,), **settings: float | None) -> Known:
    facts = {
        name: SettingFact(name, value, None, "B" if name.endswith("bytes") else None, "restart", (), name)
        for name, value in {**SETTINGS, **settings}.items()
        if value is not None
    }
    return Known("desk-a", "practice", 14.0, memory, 8, FIGURES, facts, volumes, 1e8, 60 * GIB, 5e-4, 8192.0)


def aid(name: str, of: Known) -> SizingAid:
    return next(one for make in AIDS if isinstance(one := make(of), SizingAid) and one.name == name)


def test_littles_law() -> None:
    """500 calls a second of 20 ms each are ten sessions at work (Little 1961)."""
    assert sessions_at_work(500, 0.02) == 10
    assert longest_response_s(100, 500) == 0.2 and longest_response_s(100, 0) == float("inf")
    found = aid("sessions", known())
    assert (
        "keep 10 sessions at work; 100 were open at most, and 110 may be" in found.sentence
        and "220 ms" in found.sentence
    )
    assert found.remedy is not None and found.remedy.setting is not None and found.remedy.setting.value == 130
    assert aid("sessions", known(max_sessions=200)).remedy is None


def test_memory_adds_up() -> None:
    """Global + sessions × each + at work × two operations × memory of a sort (common practice, checks.md)."""
    budget = MemoryBudget(16 * GIB, 4 * GIB, 2**20, 4 * 2**20)
    assert budget.taken(100, 10) == SYSTEM_BYTES + 4 * GIB + 100 * 2**20 + 80 * 2**20
    swaps = budget.most_running(100)
    assert budget.taken(100, swaps) == pytest.approx(16 * GIB)
    assert MemoryBudget(16 * GIB, 4 * GIB, 2**20, budget.largest_operation(100, 10)).taken(100, 10) == pytest.approx(
        16 * GIB
    )
    fine = aid("memory", known())
    assert fine.remedy is None and "would swap with 1,459 statements" in fine.sentence
    tight = aid("memory", known(sort_memory_bytes=2 * GIB))
    assert "more than there is" in tight.sentence and tight.remedy is not None and tight.remedy.setting is not None
    wanted = float(tight.remedy.setting.value)
    assert MemoryBudget(16 * GIB, 4 * GIB, 2**20, wanted).taken(100, 10) <= 0.86 * 16 * GIB
    assert tight.remedy.undo == f"SET sort_memory_bytes = {2 * GIB};"
    none_fits = aid("memory", known(memory=2 * GIB))
    assert "more than there is" in none_fits.sentence and none_fits.remedy is None, "smaller sorts do not help there"


def test_a_log_for_its_interval() -> None:
    """2 MB a second for five minutes are 600 MB, and half as much again (common practice)."""
    assert capacity_for(2e6, 300) == pytest.approx(9e8) and distance_of(1e9, 2e6) == 500
    assert "come by time" in aid("log", known()).sentence
    small = aid("log", known(log_capacity_bytes=2**28))
    assert "full after 2.24 min" in small.sentence and small.remedy is not None and small.remedy.setting is not None
    assert small.remedy.setting.value == pytest.approx(9e8, abs=2**20)
    little = aid("log", known(log_capacity_bytes=7e8))
    assert "little longer than" in little.sentence and little.remedy is None
    capped = aid("log", known(log_capacity_bytes=2**28, buffer_cache_bytes=GIB / 2))
    assert capped.remedy is not None and capped.remedy.setting is not None and capped.remedy.setting.value == GIB // 2


@pytest.mark.parametrize(
    ("cache", "now", "wanted"), [(GIB // 2, 1, None), (8 * GIB, 1, 8), (64 * GIB, 4, 10), (4 * GIB, 8, None)]
)
def test_partitions_of_a_gigabyte_each(cache: float, now: float, wanted: float | None) -> None:
    """One below a gigabyte, then of at least one each, as many as are at work (common practice); fewer are not advised."""
    found = aid("partitions", known(buffer_cache_bytes=cache, buffer_cache_partitions=now))
    assert (found.remedy.setting.value if found.remedy and found.remedy.setting else None) == wanted


def test_storage_near_its_limit() -> None:
    near = aid("storage", known())
    assert (
        "takes 90% of what was bought" in near.sentence
        and near.remedy is not None
        and "1,170 requests" in near.remedy.title
    )
    free = Volume("log", Busy(1.0, 2.0, 3.0), None, None, None)
    assert aid("storage", known(volumes=(free,))).remedy is None
    assert "what was bought is not known" in aid("storage", known(volumes=(free,))).sentence


def test_a_restart_reads_the_cache_again() -> None:
    assert "full again after 42.9 s" in aid("restart", known()).sentence, "4 GiB at 100 MB a second"


@pytest.mark.parametrize(
    ("data", "cache", "read_s", "read_bytes", "words", "wanted"),
    [
        (8 * GIB, 4 * GIB, 5e-4, 8192.0, "would hold them", 8.8 * GIB),
        (8 * GIB, 9 * GIB, 5e-4, 8192.0, "holds all 8.59 GB", None),
        (11.5 * GIB, 4 * GIB, 5e-4, 8192.0, "held twice: much smaller and much larger", None),
        (60 * GIB, 4 * GIB, 5e-4, 200_000.0, "most are scans", None),
        (80 * GIB, 4 * GIB, 1e-4, 8192.0, "5 times memory, and a read takes 100 µs: the size of the cache hardly matters", None),
        (80 * GIB, 4 * GIB, 5e-4, 8192.0, "held twice", None),
        (80 * GIB, GIB, 5e-4, 8192.0, "the cache curve shows", None),
        (80 * GIB, 13 * GIB, None, None, "the cache curve shows", None),
    ],
)  # fmt: skip
def test_a_cache_by_kind_of_work_and_storage(
    data: float, cache: float, read_s: float | None, read_bytes: float | None, words: str, wanted: float | None
) -> None:
    """No fixed share: all data where they fit, small for long scans, anything on very fast storage (common practice, checks.md)."""
    of = replace(known(buffer_cache_bytes=cache), data_bytes=data, read_s=read_s, read_bytes=read_bytes)
    found = aid("cache", of)
    assert words in found.sentence, found.sentence
    assert (found.remedy.setting.value if found.remedy and found.remedy.setting else None) == (
        None if wanted is None else pytest.approx(wanted, abs=2**20)
    )


def test_background_writing_is_raised_only_where_it_falls_behind() -> None:
    """At most twice as much in a step, and not beyond what the volume has left (common practice, checks.md)."""
    assert "keeps up: sessions write 4.0%" in aid("background_writes", known()).sentence

    def behind(by_sessions: float, volumes: tuple[Volume, ...] = (), engine: str = "practice", **settings: float | None) -> SizingAid:  # fmt: skip
        figures = {**FIGURES, "pages_written_by_sessions": Busy(0.0, by_sessions, by_sessions)}
        return aid("background_writes", replace(known(volumes=volumes, **settings), figures=figures, engine=engine))

    raised = behind(100.0)
    assert "falls behind: sessions write 20%" in raised.sentence and raised.remedy is not None
    assert raised.remedy.setting is not None and raised.remedy.setting.value == 320
    twice = behind(400.0).remedy
    assert twice is not None and twice.setting is not None and twice.setting.value == 400
    full = behind(400.0, (VOLUME,))
    assert full.remedy is None and "only 100 requests a second left" in full.sentence
    rounds = {"background_write_rate": None, "background_write_pages": 100.0, "background_write_every_s": 0.2}
    own = behind(100.0, engine="postgresql", **rounds).remedy
    assert own is not None and own.script.startswith("ALTER SYSTEM SET background_write_pages = 124;")


def test_what_is_not_known_is_said() -> None:
    bare = Known("desk-a", "postgresql", 0.0, None, None, {}, {}, (), None)
    found = [make(bare) for make in AIDS]
    assert all(isinstance(one, Lacking) and one.why for one in found)
    assert sizing_sentence("desk-a", [], []) == "Nothing that sizes are made from is known of desk-a."


def test_what_is_open_and_what_is_lacking_is_never_called_right() -> None:
    undecided, fine, tight = aid("cache", known()), aid("log", known()), aid("sessions", known())
    assert undecided.undecided and not fine.undecided
    start = "By these rules, on desk-a nothing that could be told has a wrong size"
    assert sizing_sentence("desk-a", [fine], []) == f"{start}."
    assert sizing_sentence("desk-a", [fine, undecided], [Lacking("Storage", "no volumes")]) == (
        f"{start}; they leave open: buffer cache; not known: storage."
    )
    assert sizing_sentence("desk-a", [tight], []).endswith("another size would be right for: sessions.")


def test_every_aid_names_its_source_and_article() -> None:
    keys = articles()
    for make in AIDS:
        one = make(known())
        assert isinstance(one, SizingAid) and one.formula and one.source and tuple(one.article.split("/")) in keys, one
        assert all(fact.unit or fact.value >= 0 for fact in one.facts)
