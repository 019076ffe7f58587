"""What followed a change: in simulation, how often a difference is said where there is none, and where there is one."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from hardy_gauge.core.changes.followed import FOLLOWED, Effect, Minutes, effect_of, judged, spans_around
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US

Array = NDArray[np.float64]
AT = 1000 * HOUR_US
TIMES = np.arange(AT - HOUR_US, AT + HOUR_US + 2 * MINUTE_US, MINUTE_US)
ROUNDS = 400


def autoregressive(draw: np.random.Generator, spread: float = 0.1, memory: float = 0.5) -> Array:
    noise = draw.normal(0, spread, len(TIMES))
    for at in range(1, len(noise)):
        noise[at] += memory * noise[at - 1]
    return 2 + noise


def effect(values: Array, usual: Array | None = None, figures: int = len(FOLLOWED)) -> Effect:
    course = np.full(len(values), np.nan) if usual is None else usual
    around = spans_around(AT, AT + 2 * HOUR_US)
    return effect_of("figure", "Figure", "s", Minutes(TIMES, values, course), around, figures)


def test_a_change_without_effect_is_said_to_show_one_in_at_most_one_of_twenty() -> None:
    draw = np.random.default_rng(11)
    wrong = sum(judged([effect(autoregressive(draw)) for _ in FOLLOWED]) == "shown" for _ in range(ROUNDS))
    assert wrong / ROUNDS <= 0.05, wrong


def test_a_third_more_is_shown() -> None:
    draw = np.random.default_rng(12)
    steps = np.where(TIMES > AT, 1.33, 1.0)
    seen = sum(effect(autoregressive(draw) * steps).shown == "shown" for _ in range(100))
    assert seen >= 95


def test_a_rush_that_begins_anyway_is_no_effect() -> None:
    course = np.where(TIMES > AT, 3.0, 1.0)
    draw = np.random.default_rng(13)
    values = autoregressive(draw) * course
    assert effect(values).shown == "shown"
    known = effect(values, course)
    assert known.rhythm and known.shown == "no difference shown"
    assert known.ratio == pytest.approx(1.0, abs=0.1) and (known.after or 0.0) > 2 * (known.before or 0.0)


def test_what_cannot_be_told() -> None:
    wild = np.resize([0.1, 9.0, 0.2, 4.0, 0.1], len(TIMES))
    assert effect(wild).shown in ("cannot tell", "no difference shown")
    soon = effect_of("f", "F", "s", Minutes(TIMES, wild, wild * np.nan), spans_around(AT, AT + 3 * MINUTE_US), 1)
    assert soon.shown == "cannot tell" and soon.ratio is None and soon.before is not None
    assert judged([]) == "cannot tell" and judged([soon, effect(np.ones(len(TIMES)))]) == "no difference shown"


def test_the_minute_of_the_change_is_on_neither_side() -> None:
    before, after = spans_around(AT + 20_000_000, AT + 10 * MINUTE_US)
    assert (before.until_us, after.since_us, after.until_us) == (AT, AT + MINUTE_US, AT + 10 * MINUTE_US)
    assert spans_around(AT, AT)[1].seconds == 0
