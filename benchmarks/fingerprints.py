"""Fingerprints a second against pglast, on texts seen for the first time and on repeated ones."""

from __future__ import annotations

import pglast
from tests.core.outside.corpus import CORPUS

from benchmarks.goals import Goals, at_least
from benchmarks.timing import side_by_side
from hardy_gauge.core.sql.normalise import normalise

TEXTS = [f"{text} /* {i} */" for i in range(8) for _, text in CORPUS]

GOALS: Goals = {"ratio_cold": at_least(1.0), "ratio_warm": at_least(50)}


def measure() -> dict[str, float]:
    def cold() -> None:
        normalise.cache_clear()
        for text in TEXTS:
            normalise(text)

    def warm() -> None:
        for text in TEXTS:
            normalise(text)

    def theirs() -> None:
        for text in TEXTS:
            pglast.fingerprint(text)

    cold_s, theirs_s = side_by_side(cold, theirs)
    warm_s, _ = side_by_side(warm, theirs)
    return {
        "fingerprints_per_s_cold": len(TEXTS) / cold_s,
        "fingerprints_per_s_warm": len(TEXTS) / warm_s,
        "pglast_per_s": len(TEXTS) / theirs_s,
        "ratio_cold": theirs_s / cold_s,
        "ratio_warm": theirs_s / warm_s,
    }
