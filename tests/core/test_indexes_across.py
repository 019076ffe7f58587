"""Indexes of a fleet: told once for all members, never on half a knowledge."""

from __future__ import annotations

from dataclasses import replace

import pytest

from hardy_gauge.core.indexes.across import ForeignColumns, MemberIndex, across
from hardy_gauge.core.time.span import DAY_US

NOW = 100 * DAY_US
LONG = NOW - 30 * DAY_US


def index(name: str, *columns: str, server: str = "a", lookups: float | None = 10_000, **more: object) -> MemberIndex:
    one = MemberIndex(
        server, "desk", "loan", name, columns or ("id",), False, False, True, 5e6, None, lookups, LONG, 3.0, None
    )
    return replace(one, **more)  # type: ignore[arg-type]


def told(*indexes: MemberIndex) -> list[tuple[str, str]]:
    return [(one.index, one.judged) for one in across(indexes, [], NOW).lines]


def test_never_read_only_where_no_member_reads_it() -> None:
    idle = index("idle", "note", lookups=0)
    assert told(idle, index("idle", "note", server="b", lookups=0)) == [("idle", "never read")]
    assert told(idle, index("idle", "note", server="b", lookups=90_000)) == []
    assert told(idle, index("idle", "note", server="b", lookups=None)) == [], (
        "what one member does not tell may be a use"
    )
    (line,) = across([idle, replace(idle, server="b")], [], NOW).lines
    assert "on any of 2 members" in line.why and line.bytes == 1e7 and line.since_us == LONG and line.members == 2
    assert line.script == "DROP INDEX idle;" and line.undo == "CREATE INDEX idle ON loan (note);"


def test_a_young_count_is_said_to_be_young() -> None:
    young = index("idle", "note", lookups=0, counted_since_us=NOW - DAY_US)
    (line,) = across([young, index("idle", "note", server="b", lookups=0)], [], NOW).lines
    assert line.judged == "not read so far" and line.script == "" and "little to go by" in line.why


@pytest.mark.parametrize("more", [{"enforces": True}, {"bytes": 2e5}])
def test_what_enforces_or_is_tiny_is_not_needless(more: dict[str, object]) -> None:
    assert told(index("idle", "note", lookups=0, **more)) == []


def test_rarely_read() -> None:
    assert told(index("rare", "note", lookups=60)) == [("rare", "rarely read")]
    assert told(index("rare", "note", lookups=60, counted_since_us=NOW - DAY_US)) == []
    assert told(index("rare", "note", lookups=60, writes_per_s=1e-5)) == [], "as often as its table is written"
    assert told(index("rare", "note", lookups=60, writes_per_s=None)) == [], "or who knows"


def test_what_is_not_reported_is_not_taken_for_read() -> None:
    found = across([index("a", "x", lookups=None), index("b", "y")], [], NOW)
    assert (
        found.sentence == "Of 2 indexes, whether 1 is read is not known."
        and "what is read of indexes, of a" in found.unknown
    )
    known = across([index("a", "x", needed_bytes=4e6, cache_bytes=1e9)], [], NOW)
    assert known.unknown == [] and known.sentence.endswith("none says what another one says.")


def test_one_over_a_part_of_the_rows_cannot_be_built_again_from_here() -> None:
    (line,) = across([index("part", "note", lookups=0, partial=True)], [], NOW).lines
    assert line.judged == "never read" and line.script == line.undo == ""


def test_duplicates_and_what_another_contains() -> None:
    assert told(index("a", "patron"), index("b", "patron")) == [("b", "duplicate")], "of two alike the later name goes"
    assert told(index("a", "patron"), index("b", "patron", "due")) == [("a", "contained in another")]
    assert told(index("a", "patron"), index("b", "due", "patron")) == []
    assert told(index("a", "patron"), index("b", "patron", partial=True)) == []
    assert told(index("a", "patron"), index("z", "patron", enforces=True)) == [("a", "duplicate")]


def test_bloated_too_large_and_not_valid() -> None:
    assert told(index("fat", bytes=40e6, needed_bytes=15e6)) == [("fat", "bloated")]
    assert told(index("fat", bytes=20e6, needed_bytes=15e6)) == []
    assert told(index("big", bytes=40e6, cache_bytes=30e6)) == [("big", "larger than the cache")]
    assert told(index("half", valid=False)) == [("half", "not valid")]


def test_foreign_keys_without_an_index() -> None:
    keys = [
        ForeignColumns("a", "desk", "loan", ("copy_id",), "copy"),
        ForeignColumns("b", "desk", "loan", ("copy_id",), "copy"),
    ]
    found = across([index("p", "patron")], keys, NOW, ["c", "d"])
    (line,) = found.lines
    assert (line.judged, line.columns, line.index) == ("missing for a foreign key", ["copy_id"], "")
    assert line.script == "CREATE INDEX CONCURRENTLY loan_copy_id ON loan (copy_id);" and "copy" in line.why
    assert "1 foreign key has none" in found.sentence and "which foreign keys there are, of c, d" in found.unknown
    assert across([index("p", "copy_id", "due")], keys, NOW).lines == []
    assert across([index("p", "copy_id", partial=True)], keys, NOW).lines != []


def test_the_sentence_adds_up() -> None:
    found = across(
        [
            index("a", "x", lookups=0),
            index("b", "x"),
            index("fat", "y", bytes=40e6, needed_bytes=15e6),
            index("c", "z"),
        ],
        [],
        NOW,
        [],
    )
    assert found.sentence == "Of 4 indexes, 2 give nothing and take 10.0 MB, 1 is worth a look.", found.sentence
    assert (
        across([index("a", "x")], [], NOW).sentence == "Of one index all are read, and none says what another one says."
    )
    assert across([], [], NOW).sentence == "No index is reported."
