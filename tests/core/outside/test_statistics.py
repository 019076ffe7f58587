"""Trial statistics and margins against scipy, statsmodels, and their own promises.

Sources: scipy.stats (paired t-test and interval), statsmodels (Nile flow data), White's MSER-5 (1997)
on an autoregressive series with a known start.
"""

import numpy as np
import polars as pl
import pytest
import statsmodels.api as sm
from scipy import stats

from hardy_gauge.core.activity.ledger import entries
from hardy_gauge.core.activity.margins import poisson_interval
from hardy_gauge.core.figures.theil_sen import theil_slope
from hardy_gauge.core.reference.shift import change_point
from hardy_gauge.core.statements.by_value import _explained, median_interval
from hardy_gauge.core.trials.compare import mean_interval, paired_ratio
from hardy_gauge.core.trials.warmup import mser5


@pytest.mark.parametrize("seed", range(8))
def test_ratio_interval_and_p_value_are_scipys(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(2, 15))
    control, candidate = rng.lognormal(0, 0.3, n), rng.lognormal(0.2, 0.3, n)
    ours = paired_ratio(control.tolist(), candidate.tolist())
    theirs = stats.ttest_rel(np.log(candidate), np.log(control))
    interval = theirs.confidence_interval(0.95)
    assert ours.p_value == pytest.approx(theirs.pvalue, rel=1e-9)
    assert (ours.low, ours.high) == pytest.approx((np.exp(interval.low), np.exp(interval.high)), rel=1e-9)
    assert ours.ratio == pytest.approx(stats.gmean(candidate) / stats.gmean(control), rel=1e-12)


def test_mean_interval_is_scipys() -> None:
    values = [3.1, 2.9, 3.6, 3.0, 3.3]
    ours = mean_interval(values)
    low, high = stats.t.interval(0.95, 4, loc=np.mean(values), scale=stats.sem(values))
    assert (ours.low, ours.high) == pytest.approx((low, high), rel=1e-12)


@pytest.mark.parametrize("seed", range(6))
def test_slopes_through_points_are_scipys(seed: int) -> None:
    rng = np.random.default_rng(seed)
    at = rng.integers(0, 40, 60).astype(float)
    values = 3 * at + rng.standard_cauchy(60)
    assert theil_slope(values, at) == pytest.approx(stats.theilslopes(values, at).slope, rel=1e-12)


@pytest.mark.parametrize("seed", range(12))
def test_what_values_explain_is_chance_where_scipys_analysis_of_variance_says_so(seed: int) -> None:
    rng = np.random.default_rng(seed)
    groups = [rng.normal(0.12 * seed * place, 1.0, 30) for place in range(3)]
    found = _explained(np.concatenate(groups), [str(place) for place in range(3) for _ in range(30)], 1)
    assert (found > 0) == (stats.f_oneway(*groups).pvalue < 0.01)


@pytest.mark.parametrize("count", [*range(12), 50, 101, 1000])
def test_the_interval_of_a_median_is_the_narrowest_that_the_binomial_allows(count: int) -> None:
    low, high = median_interval(list(range(count)))
    places = [n for n in range(1, count // 2 + 1) if 2 * stats.binom.cdf(n - 1, count, 0.5) <= 0.05]
    assert (low, high) == ((places[-1] - 1, count - places[-1]) if places else (None, None))


def test_ratio_interval_covers_the_truth_as_often_as_it_says() -> None:
    rng = np.random.default_rng(11)
    hits = 0
    for _ in range(1000):
        block = rng.normal(0, 0.5, 6)  # what drifts is shared by both runs of a block
        control = np.exp(block + rng.normal(0, 0.1, 6))
        candidate = np.exp(block + np.log(0.8) + rng.normal(0, 0.1, 6))
        ratio = paired_ratio(control.tolist(), candidate.tolist())
        hits += ratio.low <= 0.8 <= ratio.high
    assert 930 <= hits <= 970


def test_poisson_interval_is_the_exact_one_for_plain_counts() -> None:
    counts = np.array([0.0, 1.0, 4.0, 25.0, 400.0])
    low, high = poisson_interval(counts, counts)
    for k, lower, upper in zip(counts, low, high, strict=True):
        assert lower == pytest.approx(stats.chi2.ppf(0.025, 2 * k) / 2 if k else 0.0, rel=1e-9)
        assert upper == pytest.approx(stats.chi2.ppf(0.975, 2 * (k + 1)) / 2, rel=1e-9)


@pytest.mark.parametrize(("rate", "mean_s"), [(20.0, 0.01), (1.5, 2.0), (0.02, 30.0), (0.05, 0.2)])
def test_margins_cover_the_true_time(rate: float, mean_s: float) -> None:
    """Sessions of random arrival and length, sampled each second: the interval holds the true time spent."""
    rng = np.random.default_rng(5)
    seconds, hits, trials = 600, 0, 200
    for _ in range(trials):
        count = rng.poisson(rate * (seconds + 200))
        start = rng.uniform(-200, seconds, count)
        end = start + rng.exponential(mean_s, count)
        truth = np.clip(np.minimum(end, seconds) - np.maximum(start, 0), 0, None).sum() / seconds
        first, last = np.ceil(np.maximum(start, 0)), np.floor(np.minimum(end, seconds - 1e-9))
        ticks = np.concatenate([np.arange(a, b + 1) for a, b in zip(first, last, strict=True)] or [np.array([])])
        if not len(ticks):
            hits += truth * seconds <= 3.7  # with nothing seen, the upper bound of a Poisson count is 3.7
            continue
        frame = pl.DataFrame({"at_us": (ticks * 1e6).astype(np.int64), "k": ["x"] * len(ticks)})
        row = entries(frame, ["k"], seconds).row(0, named=True)
        hits += row["low"] <= truth <= row["high"]
    assert hits / trials >= 0.93


@pytest.mark.parametrize(
    ("sessions", "rate", "mean_s", "one_in", "spacing"),
    [(300, 0.01, 0.5, 5, 5), (60, 0.05, 2.0, 3, 1), (100, 0.2, 3.0, 10, 1), (200, 0.01, 20.0, 4, 1)],
)
def test_margins_cover_the_true_time_of_all_sessions(
    sessions: int, rate: float, mean_s: float, one_in: int, spacing: int
) -> None:
    """Of sessions that each work on and off only one in several is followed: the interval holds the time of all."""
    rng = np.random.default_rng(11)
    seconds, hits, trials = 600, 0, 200
    for _ in range(trials):
        followed = rng.random(sessions) < 1 / one_in
        truth, seen = 0.0, []
        for session in range(sessions):
            start = np.sort(rng.uniform(-50, seconds, rng.poisson(rate * (seconds + 50))))
            end = np.minimum(start + rng.exponential(mean_s, len(start)), np.append(start[1:], np.inf)[: len(start)])
            truth += np.clip(np.minimum(end, seconds) - np.maximum(start, 0), 0, None).sum() / seconds
            if followed[session]:
                first, last = (
                    np.ceil(np.maximum(start, 0) / spacing),
                    np.floor(np.minimum(end, seconds - 1e-9) / spacing),
                )
                seen += [(t * spacing, session) for a, b in zip(first, last, strict=True) for t in np.arange(a, b + 1)]
        frame = pl.DataFrame({"at_us": [int(t * 1e6) for t, _ in seen], "session": [s for _, s in seen]}).with_columns(
            k=pl.lit("x"), weight=pl.lit(float(spacing * one_in)), one_in=pl.lit(one_in)
        )
        row = entries(frame, ["k"], seconds).row(0, named=True)
        hits += row["low"] <= truth <= row["high"]
    assert hits / trials >= 0.93


def test_nile_level_shift() -> None:
    """The annual flow fell after 1898; the first year of the lower level is 1899."""
    nile = sm.datasets.nile.load_pandas().data
    at = change_point(nile["volume"].to_numpy())
    assert at is not None and int(nile["year"].iloc[at]) == 1899


def test_mser5_cuts_a_start_transient_and_little_else() -> None:
    rng = np.random.default_rng(2)
    cuts, steady = [], []
    for _ in range(50):
        noise = np.zeros(1000)
        for i in range(1, 1000):
            noise[i] = 0.5 * noise[i - 1] + rng.normal(0, 0.5)
        transient = 8 * np.exp(-np.arange(1000) / 40)
        cuts.append(mser5(noise + transient))
        steady.append(mser5(noise))
    assert 60 <= np.median(cuts) <= 200
    assert np.median(steady) <= 50
