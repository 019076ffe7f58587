"""Checks of the data after runs, least shares of a mix, and intervals of runs that were not made together.

Wilson's bound is that of statsmodels (``proportion_confint``), Welch's interval that of scipy (``ttest_ind`` without equal variances).
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import ttest_ind
from statsmodels.stats.proportion import proportion_confint

from hardy_gauge.core.trials.compare import family_level, paired_ratio, unpaired_ratio
from hardy_gauge.core.trials.soundness import Checked, soundness, upper_bound


@pytest.mark.parametrize(("count", "total"), [(0, 10), (3, 10), (250, 1000), (1000, 1000)])
def test_the_bound_of_a_share_is_wilsons(count: int, total: int) -> None:
    _, high = proportion_confint(count, total, alpha=0.01, method="wilson")
    assert upper_bound(count, total) == pytest.approx(high, abs=1e-4)


def test_a_share_is_too_low_only_where_chance_does_not_explain_it() -> None:
    mix = [("lend", 0.3), ("look", 0.0)]
    few = soundness([("control", [], [2, 8])], mix)
    many = soundness([("control", [], [200, 800]), ("x", [], [210, 790])], mix)
    assert few.mix[0].kept and not few.cautions
    assert not many.mix[0].kept and many.mix[0].share == pytest.approx(0.205)
    (said,) = many.cautions
    assert "lend had 20%" in said.replace("21%", "20%") and "at least 30%" in said
    assert soundness([("control", [], [1, 9])], [("a", 0.0), ("b", 0.0)]).mix == [], "no least share was stated"


def test_a_check_that_did_not_hold_is_a_caution_of_its_run_and_one_not_asked_is_unknown() -> None:
    held, broken, unknown = (
        Checked("tills", True),
        Checked("tills", False, "(3, 40, 20)"),
        Checked("tills", None, "timeout"),
    )
    found = soundness([("control", [held], [5]), ("x", [broken], [5]), ("x", [unknown], [5])], [("a", 0.0)])
    (check,) = found.checks
    assert (check.asked, check.held, check.found) == (2, 1, "(3, 40, 20)")
    assert "after run 2 (x): tills; found (3, 40, 20)" in found.cautions[0] and "not known" in found.cautions[1]


def test_runs_that_were_not_made_together_are_two_samples() -> None:
    draw = np.random.default_rng(3)
    first, second = draw.lognormal(0, 0.2, 6), draw.lognormal(0.3, 0.5, 9)
    ours = unpaired_ratio(first.tolist(), second.tolist())
    known = ttest_ind(np.log(second), np.log(first), equal_var=False)
    interval = known.confidence_interval(0.95)
    assert (ours.low, ours.high) == pytest.approx((np.exp(interval.low), np.exp(interval.high)))
    assert ours.p_value == pytest.approx(known.pvalue) and ours.blocks == 6
    with pytest.raises(ValueError, match="two figures"):
        unpaired_ratio([1.0], [2.0, 3.0])


def test_intervals_of_several_candidates_hold_together() -> None:
    """In 2,000 trials of three candidates without an effect no more than 5% call any of them different, by more than chance allows."""
    draw, called = np.random.default_rng(8), 0
    assert family_level(1) == 0.95 and family_level(3) == pytest.approx(1 - 0.05 / 3)
    for _ in range(2000):
        control, *candidates = draw.lognormal(0, 0.1, (4, 5))
        ratios = [paired_ratio(control.tolist(), one.tolist(), family_level(3)) for one in candidates]
        called += any(one.low > 1 or one.high < 1 for one in ratios)
    assert called / 2000 < 0.0625
