"""Strips from a store whose figures are known; lag correlation against statsmodels; every cause names its figures."""

from __future__ import annotations

import numpy as np
import pytest
from statsmodels.tsa.stattools import ccf

from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.diagnosis.rules import RULES
from hardy_gauge.core.strips.band import BandKey, parse_band, parse_bands
from hardy_gauge.core.strips.lag import lag_correlation
from hardy_gauge.core.strips.starting_sets import SETS, bands_of
from hardy_gauge.core.time.span import HOUR_US, Span
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.queries.strips import against_of, strips_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change
from hardy_gauge.store.saved_strips import delete_strips, save_strips
from tests.queries.builder import HOUR, NOW, Built


@pytest.fixture
def built(store: Store) -> Built:
    """Two members: a's load rises in the second half hour; one statement of it takes 20 ms; half its sessions read."""
    built = Built(store)
    a, b = built.server("a"), built.server("b")
    statement = built.statement("SELECT due FROM loan")
    built.minutes(a, HOUR.since_us, NOW, lambda at: np.where(at >= NOW - HOUR_US // 2, 3.0, 1.0))
    built.minutes(b, HOUR.since_us, NOW, 2.0)
    built.calls(a, statement, HOUR.since_us, NOW, 5.0, 0.02)
    built.sessions(a, HOUR, 2, statement)
    built.sessions(a, Span(NOW - HOUR_US // 2, NOW), 1, statement, "data read")
    return built


def values(built: Built, key: str) -> list[float | None]:
    return list(strips_of(built.reader, HOUR, [parse_band(key)], "fleet").bands[0].values)


def test_bands_of_servers_clusters_families_services_and_statements(built: Built) -> None:
    assert values(built, "figure:a:active_sessions") == [1.0] * 30 + [3.0] * 30
    assert values(built, "cluster:quay:active_sessions") == [3.0] * 30 + [5.0] * 30
    assert values(built, "family:a:data read") == [0.0] * 30 + [1.0] * 30
    assert values(built, "service:a:s") == [2.0] * 30 + [3.0] * 30
    assert values(built, "statement:a:f-SELECT due F:time") == pytest.approx([0.02] * 60)
    assert values(built, "statement:a:f-SELECT due F:calls") == pytest.approx([5.0] * 60)
    assert values(built, "statement:a:f-SELECT due F") == pytest.approx([0.1] * 60)


def test_what_is_not_reported_says_so(built: Built) -> None:
    (band,) = strips_of(built.reader, HOUR, [parse_band("figure:b:swap_used_bytes")], "fleet").bands
    assert set(band.values) == {None} and band.missing == "b did not report swap used in this window"
    with pytest.raises(NotFound):
        values(built, "figure:nowhere:active_sessions")


def test_changes_and_neighbours(store: Store, built: Built) -> None:
    with store.write() as session:
        session.add(Change(server_id=1, at_us=NOW - HOUR_US // 2, kind="setting", title="cache set", object="cache"))
    found = strips_of(built.reader, HOUR, [parse_band("figure:a:active_sessions")], "fleet")
    assert [(one.server, one.title) for one in found.changes] == [("a", "cache set")]
    offered = {one.key for one in found.neighbours}
    assert {"figure:a:response_s", "family:a:data read", "service:a:s", "cluster:quay:active_sessions"} <= offered
    assert any(key.startswith("statement:a:") for key in offered) and "figure:a:active_sessions" not in offered


@pytest.mark.parametrize("text", ["", "figure", "figure:a", "nothing:a:b", "statement:a:f:colour", "figure::x"])
def test_what_is_no_band(text: str) -> None:
    with pytest.raises(InvalidInput):
        parse_band(text)


def test_bands_are_each_shown_once_and_not_too_many() -> None:
    assert parse_bands(["figure:a:x", "figure:a:x", "figure:a:volume_used.data:1"])[1] == BandKey(
        "figure", "a", "volume_used.data:1"
    )
    with pytest.raises(InvalidInput, match="at most 20"):
        parse_bands([f"figure:a:x{n}" for n in range(21)])


def test_saved_sets_are_replaced_by_name_and_deleted(store: Store) -> None:
    with store.write() as session:
        first = save_strips(session, " rush ", ["figure:a:x"], "ada", 1)
        again = save_strips(session, "rush", ["figure:a:y"], "bob", 2)
        assert first.id == again.id and again.bands == ["figure:a:y"] and again.saved_by == "bob"
        number = first.id
        delete_strips(session, number)
    with store.write() as session:
        with pytest.raises(NotFound):
            delete_strips(session, number)
        with pytest.raises(InvalidInput):
            save_strips(session, "empty", [], "ada", 1)


def test_lag_correlation_is_that_of_statsmodels() -> None:
    draw = np.random.default_rng(5)
    first = draw.normal(0, 1, 200)
    second = np.concatenate([draw.normal(0, 1, 7), first[:-7]]) + draw.normal(0, 0.3, 200)
    found = lag_correlation(first, second, 20)
    assert found is not None and found.best == 7 and found.strongest > 0.9 > found.noise
    theirs = ccf(second, first, adjusted=False)[:21]
    assert found.r[20:] == pytest.approx(theirs.tolist(), abs=1e-9)


def test_unrelated_series_with_memory_are_within_the_noise_most_of_the_time() -> None:
    """Bartlett's limit at lag 0: autoregressions with coefficient 0.7 that have nothing to do with each other."""
    draw, within = np.random.default_rng(6), 0
    for _ in range(200):
        both = draw.normal(0, 1, (2, 150))
        for at in range(1, 150):
            both[:, at] += 0.7 * both[:, at - 1]
        found = lag_correlation(both[0], both[1], 30)
        assert found is not None
        within += abs(found.r[30]) <= found.noise
    assert within >= 180


def test_too_little_is_known_or_nothing_varies() -> None:
    assert lag_correlation(np.ones(50), np.arange(50.0), 5) is None
    assert lag_correlation(np.full(50, np.nan), np.arange(50.0), 5) is None


def test_two_figures_against_each_other(built: Built) -> None:
    found = against_of(built.reader, HOUR, parse_band("figure:a:active_sessions"), parse_band("family:a:data read"))
    assert (
        found.correlation is not None
        and found.correlation.best == 0
        and found.correlation.strongest == pytest.approx(1.0)
    )
    assert "at the same time" in found.sentence and len(found.pairs) == 60
    flat = against_of(
        built.reader, HOUR, parse_band("figure:a:active_sessions"), parse_band("figure:b:active_sessions")
    )
    assert flat.correlation is None and "cannot tell" in flat.sentence


def test_every_cause_names_its_figures() -> None:
    causes = {rule.cause for rule in RULES}
    assert causes <= set(SETS), causes - set(SETS)


def test_a_finding_opens_its_figures() -> None:
    finding = Finding(
        "missing_index", "Missing index", Subject("statement", "f1", "SELECT"), Impact(1, 1, 1), 0.5, 0.4, 0.6, "act", 0.9, [], [],
        signal=Signal("figure", "pages_read"),
    )  # fmt: skip
    keys = [key.text() for key in bands_of(finding, "a")]
    assert keys[:2] == ["figure:a:active_sessions", "statement:a:f1:active"] and keys[-1] == "figure:a:pages_read"
    assert all(parse_band(key) for key in keys)
