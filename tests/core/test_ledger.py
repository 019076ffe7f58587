"""The ledger's sums, shares and time steps on samples counted by hand."""

import polars as pl
import pytest

from hardy_gauge.core.activity.ledger import counted_entries, entries, over_time
from hardy_gauge.core.activity.wait_families import WaitMap

SECOND = 1_000_000
SAMPLES = pl.DataFrame(
    {
        "at_us": [0, 0, SECOND, SECOND, 3 * SECOND],
        "wait_family": ["data read", "processor", "data read", "data read", "processor"],
        "service": ["web", "web", "desk", "desk", "desk"],
    }
)


def test_one_dimension() -> None:
    rows = entries(SAMPLES, ["wait_family"], seconds=10).to_dicts()
    assert [(r["wait_family"], r["samples"], round(r["active_sessions"], 9), round(r["share"], 9)) for r in rows] == [
        ("data read", 3, 0.3, 0.6),
        ("processor", 2, 0.2, 0.4),
    ]
    assert all(r["low"] < r["active_sessions"] < r["high"] for r in rows)


def test_two_dimensions_add_up_to_one() -> None:
    one = entries(SAMPLES, ["wait_family"], 10)["active_sessions"].sum()
    two = entries(SAMPLES, ["wait_family", "service"], 10)
    assert two["active_sessions"].sum() == pytest.approx(one)
    assert len(two) == 4


def test_filter_and_steps() -> None:
    kept = SAMPLES.filter(pl.col("service") == "desk")
    steps = over_time(kept, "wait_family", 0, 4 * SECOND, 2 * SECOND)
    assert steps.rows() == [(0, "data read", 1.0), (2 * SECOND, "processor", 0.5)]


def test_what_is_counted_has_no_margin_and_each_server_its_own_time() -> None:
    rows = pl.DataFrame({"server_id": [1, 1, 2], "statement": ["a", "b", "a"], "weight": [30.0, 10.0, 20.0]})
    found = counted_entries(rows, ["statement"], {1: 10.0, 2: 5.0}).to_dicts()
    assert [(r["statement"], r["active_sessions"], r["low"], r["high"], r["share"]) for r in found] == [
        ("a", 7.0, 7.0, 7.0, 0.875),
        ("b", 1.0, 1.0, 1.0, 0.125),
    ]


def test_nothing_sampled() -> None:
    assert entries(SAMPLES.clear(), ["wait_family"], 0).is_empty()


def test_unknown_event_is_other_and_wrong_family_is_refused() -> None:
    assert WaitMap({"page_read": "data read"}).family("something_new") == "other"
    with pytest.raises(ValueError, match="coffee"):
        WaitMap({"x": "coffee"})


def test_margins_follow_their_account_and_not_its_place() -> None:
    """Of texts as of numbers, whatever is seen first: a steady account has a narrow margin, one that comes in bursts a wide one."""
    at = [s * SECOND for s in range(400)]
    steady = pl.DataFrame({"at_us": at, "number": 7, "text": "steady"})
    bursts = pl.DataFrame(
        {"at_us": [s * SECOND for s in range(0, 400, 4) for _ in range(4)], "number": 3, "text": "bursts"}
    )
    rare = pl.DataFrame({"at_us": at[:1], "number": 9, "text": None}, schema_overrides={"text": pl.String})
    for parts in ([steady, bursts, rare], [rare, bursts, steady]):
        samples = pl.concat([one.cast({"text": pl.String}) for one in parts])
        by_text = {row["text"]: row for row in entries(samples, ["text"], 400).to_dicts()}
        by_number = {row["number"]: row for row in entries(samples, ["number"], 400).to_dicts()}
        for text, number in (("steady", 7), ("bursts", 3), (None, 9)):
            assert (by_text[text]["low"], by_text[text]["high"]) == (
                by_number[number]["low"],
                by_number[number]["high"],
            )
        widths = {text: row["high"] - row["low"] for text, row in by_text.items()}
        assert widths["bursts"] > 2 * widths["steady"] and by_text[None]["high"] < 0.02
