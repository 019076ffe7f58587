"""Usual range, shifts, and the words for comparisons."""

import numpy as np
import pytest

from hardy_gauge.core.capacity.storage import fill_forecast
from hardy_gauge.core.figures.formatting import duration, share, size
from hardy_gauge.core.reference.shift import current_shift
from hardy_gauge.core.reference.usual_range import (
    MONDAY_US,
    QUARTER_US,
    mean_bounds,
    ready_us,
    troubled_spans,
    usual_range,
    word,
)
from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, WEEK_US, Span

WEEKS = 4
TIMES = MONDAY_US + np.arange(WEEKS * 7 * 1440) * MINUTE_US
DAYTIME = ((TIMES % DAY_US) // HOUR_US >= 9) & ((TIMES % DAY_US) // HOUR_US < 20)


def weekly(seed: int) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(1, 0.05, len(TIMES))
    return np.where(DAYTIME, 4.0, 1.0) * noise


def test_usual_range_follows_the_hour_of_the_week() -> None:
    usual = usual_range(TIMES, weekly(1))
    noon, night = MONDAY_US + 12 * HOUR_US, MONDAY_US + 3 * HOUR_US
    low, centre, high = usual.at(np.array([noon, night]))
    assert centre == pytest.approx([4.0, 1.0], rel=0.05)
    assert (low < centre).all() and (centre < high).all()


def test_few_weeks_borrow_from_days_of_the_same_kind() -> None:
    first_week = slice(0, 5 * 1440)
    usual = usual_range(TIMES[first_week], weekly(2)[first_week])
    assert np.isfinite(usual.centre[: 120 * 4]).all()
    assert not np.isfinite(usual.centre[120 * 4 + 1 : -1]).any(), "nothing is known of the weekend yet"


def test_bands_are_numpys_quantiles() -> None:
    """Reference: numpy.quantile over the same smoothed minutes of a quarter hour of the week and its neighbours."""
    values = weekly(4)
    usual = usual_range(TIMES[: len(values)], values)
    quarter = ((TIMES[: len(values)] - MONDAY_US) % WEEK_US // QUARTER_US).astype(int)
    total = np.concatenate(([0.0], np.cumsum(values)))
    inner = (total[15:] - total[:-15]) / 15
    smooth = np.concatenate((np.full(7, inner[0]), inner, np.full(7, inner[-1])))
    for q in (0, 30, 100, 350, 671):
        mine = np.isin(quarter, [(q - 1) % 672, q, (q + 1) % 672])
        low, centre, high = np.quantile(smooth[mine], [0.05, 0.5, 0.95])
        assert usual.centre[q] == pytest.approx(centre)
        assert usual.low[q] == pytest.approx(min(low, centre * 0.85)) and usual.high[q] == pytest.approx(
            max(high, centre * 1.15)
        )


def test_the_edges_of_a_nightly_job_are_usual() -> None:
    """A job from 02:00 for an hour, a few minutes sooner or later each night: no minute around its edges is a shift."""
    chance = np.random.default_rng(5)
    late = chance.integers(-4, 5, len(TIMES) // 1440) * MINUTE_US
    since_two = TIMES % DAY_US - 2 * HOUR_US - late[(TIMES - MONDAY_US) // DAY_US]
    values = np.where((since_two >= 0) & (since_two < HOUR_US), 2.0, 0.02) * chance.normal(1, 0.05, len(TIMES))
    learnt = len(TIMES) - 1440
    usual = usual_range(TIMES[:learnt], values[:learnt])
    for end in range(learnt + 60, learnt + 300):
        seen = slice(end - 360, end)
        assert current_shift(TIMES[seen], values[seen], usual, least=0.05) is None, "a known job is no shift"
    stays = values.copy()
    stays[learnt + 120 : learnt + 300] = 2.0
    assert current_shift(TIMES[learnt - 60 : learnt + 300], stays[learnt - 60 : learnt + 300], usual, least=0.05)


def test_shift_is_found_where_it_began() -> None:
    usual = usual_range(TIMES, weekly(3))
    at = TIMES[-1] + MINUTE_US + np.arange(360) * MINUTE_US
    _, centre, _ = usual.at(at)
    values = centre * np.random.default_rng(4).normal(1, 0.05, 360)
    values[320:] *= 3
    shift = current_shift(at, values, usual)
    assert shift is not None
    assert shift.since_us == at[320] and shift.ratio == pytest.approx(3, rel=0.1) and shift.direction == "above"
    assert current_shift(at[:300], values[:300], usual) is None


def test_a_level_that_is_hardly_higher_is_no_shift() -> None:
    """The last minutes stand just outside the band, but the level since the change point is under 15% away."""
    usual = usual_range(TIMES, weekly(3))
    at = TIMES[-1] + MINUTE_US + np.arange(360) * MINUTE_US
    _, centre, high = usual.at(at)
    values = centre.copy()
    values[300:] = centre[300:] * 1.1
    values[-5:] = high[-5:] * 1.01
    assert current_shift(at, values, usual) is None
    values[300:] = high[300:] * 1.2
    assert current_shift(at, values, usual) is not None


def test_next_to_nothing_is_no_shift_however_often_the_usual_it_is() -> None:
    usual = usual_range(TIMES, np.full(len(TIMES), 0.01))
    at = TIMES[-1] + MINUTE_US + np.arange(360) * MINUTE_US
    values = np.where(np.arange(360) < 300, 0.01, 0.03)
    found = current_shift(at, values, usual)
    assert found is not None and found.ratio == pytest.approx(3)
    assert current_shift(at, values, usual, least=0.05) is None
    assert current_shift(at, values * 10, usual, least=0.05) is not None


def test_a_bad_night_does_not_widen_the_band() -> None:
    """Ten times the usual for five hours of one Wednesday: afterwards the same again is not usual."""
    values = weekly(6)
    bad = slice(9 * 1440 + 600, 9 * 1440 + 900)
    plain = usual_range(TIMES, values)
    values[bad] *= 10
    at = np.array([TIMES[bad][150]])
    troubles = troubled_spans(TIMES, values, 0.05)
    assert len(troubles) == 1
    assert abs(troubles[0].since_us - TIMES[bad][0]) < 15 * MINUTE_US and abs(troubles[0].seconds - 18_000) < 1_800
    assert usual_range(TIMES, values).at(at)[2][0] > 2 * plain.at(at)[2][0], "left in, it is taken for usual"
    assert usual_range(TIMES, values, troubles).at(at)[2][0] == pytest.approx(plain.at(at)[2][0], rel=0.05)


def test_what_comes_every_week_is_no_trouble() -> None:
    """A Sunday job of four times the load, each week; and one that came in two of the four weeks."""
    for weeks in ((0, 1, 2, 3), (1, 3)):
        values = weekly(7)
        for week in weeks:
            values[week * 10080 + 6 * 1440 + 60 : week * 10080 + 6 * 1440 + 180] *= 4
        assert troubled_spans(TIMES, values, 0.05) == [], weeks


def test_means_over_a_span_are_those_of_its_moments() -> None:
    known, half = usual_range(TIMES, weekly(3)), usual_range(TIMES, weekly(4))
    half.low[20:24] = np.nan
    nothing = usual_range(TIMES[:5], weekly(1)[:5])
    at = TIMES[0] + np.linspace(4 * HOUR_US, 6 * HOUR_US, 48).astype(np.int64)
    found = mean_bounds([known, half, nothing], at)
    for row, usual in zip(found[:2], (known, half), strict=True):
        assert row == pytest.approx([np.nanmean(bound) for bound in usual.at(at)], rel=1e-12)
    assert np.isnan(found[2]).all() and mean_bounds([], at).shape == (0, 3)


def test_a_usual_range_stands_from_the_next_day_of_its_kind() -> None:
    friday = MONDAY_US + 4 * DAY_US + 10 * HOUR_US
    assert ready_us(friday, friday) == friday + 3 * DAY_US, "Monday"
    saturday = friday + DAY_US
    assert ready_us(saturday, saturday + HOUR_US) == saturday + HOUR_US + DAY_US


def test_minutes_outside_spans_are_kept() -> None:
    values = weekly(8)
    everything = [Span(int(TIMES[0]), int(TIMES[-1]) + MINUTE_US)]
    assert not np.isfinite(usual_range(TIMES, values, everything).centre).any()


def test_words() -> None:
    assert [duration(x) for x in (0.0000021, 0.0042, 1.5, 300, 7200)] == [
        "2.10 µs",
        "4.20 ms",
        "1.50 s",
        "5.00 min",
        "2.00 h",
    ]
    assert (size(132_000_000), share(0.714), share(0.012)) == ("132 MB", "71%", "1.2%")
    assert (word(5, 1, 3), word(0.5, 1, 3), word(2, 1, 3), word(2, float("nan"), 3)) == (
        "above usual", "below usual", "usual", "no usual range yet",
    )  # fmt: skip


def test_storage_fills_on_a_known_day() -> None:
    times = np.arange(14 * 24) * HOUR_US
    used = 200e9 + times / DAY_US * 2e9
    used[50] += 30e9  # one jump does not bend the line
    found = fill_forecast(times, used, 300e9)
    assert found is not None and found.days == pytest.approx((300e9 - used[-1]) / 2e9, rel=0.01)
    assert fill_forecast(times, np.full(len(times), 5e9), 300e9) is None
    short = fill_forecast(times[:60], used[:60] + 0.0, 300e9)
    assert short is not None and short.soonest is None, "two days say nothing of how days differ"


def test_the_band_of_a_forecast_holds_what_comes() -> None:
    """Days grow by amounts that are drawn; a rhythm within the day and a night job count for nothing. 95% is what the band says."""
    draw, hits, rounds = np.random.default_rng(6), 0, 500
    times = np.arange(14 * 24 + 1) * HOUR_US
    for _ in range(rounds):
        daily = draw.gamma(4.0, 0.5e9, 400)
        whole = np.concatenate([[0.0], np.cumsum(np.repeat(daily / 24, 24))])
        used = 100e9 + whole[: len(times)] + 0.3e9 * np.sin(np.arange(len(times)) / 24 * 2 * np.pi)
        capacity = used[-1] + 2e9 * draw.uniform(8, 40)
        found = fill_forecast(times, used, capacity)
        assert found is not None and found.soonest is not None and found.soonest <= found.days
        full = np.argmax(whole[len(times) :] - whole[len(times) - 1] + used[-1] >= capacity) / 24
        hits += found.soonest <= full <= (found.latest or np.inf)
    assert 0.92 <= hits / rounds <= 0.98, hits / rounds
