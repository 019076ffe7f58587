"""Cases drawn from a seed: a world, a cause in it (or none), its age, and what a diagnosis has to say."""

from __future__ import annotations

import copy
import random
from dataclasses import dataclass
from typing import Any

from practice_fleet.fleet import Fleet
from practice_fleet.frames import metric_frame
from practice_fleet.scenario.document import Scenario
from tests.truth.generator.cases import CAUSES, QUIET, Cause
from tests.truth.generator.worlds import MINUTE_US, World, world

WEEK_START_US = 1_795_392_000_000_000  # a Monday, midnight, UTC
HOUR_US = 60 * MINUTE_US
SEEN = 1.2  # time of the server with the cause ÷ without it, from which on there is something to see
TRIES = 12


@dataclass(frozen=True)
class Case:
    """A scenario, when it is looked at, the server and its peers, and the cause that is there (None: none that is a trouble);
    ``second`` are the names of another that is there too.
    """

    seed: int
    label: str
    document: dict[str, Any]
    now_us: int
    server: str
    beside: tuple[str, ...]
    names: tuple[str, ...]
    about: tuple[str, ...]
    began_us: int
    onset: bool = True
    second: tuple[str, ...] = ()


def case_of(seed: int, cause: Cause) -> Case | None:
    """A case of a cause; None where no world drawn shows it."""
    for attempt in range(TRIES):
        rng = random.Random(f"{cause.name} {seed} {attempt}")
        now_us = _moment(rng)
        made = world(rng, rng.choice(cause.shapes), now_us)
        cause.prepare(rng, made)
        age = rng.uniform(*cause.ages)
        server = {"writer": 0, "second": 1, "replica": 1}[cause.on]
        trouble = {
            "cause": cause.name,
            "servers": [made.servers[server]],
            "start_minutes_ago": round(age, 1),
        } | cause.draw(rng, made)
        document = _with(made, trouble)
        if cause.costs and _ratio(made, document, made.servers[server], now_us) < SEEN:
            continue
        beside = tuple(name for name in made.servers if name != made.servers[server]) if cause.beside else ()
        if cause.shows is not None and _level(document, made.servers[server], now_us, cause.shows[0]) < cause.shows[1]:
            continue
        seen = made.servers[server if cause.looked_at is None else cause.looked_at]
        return Case(
            seed, cause.name, document, now_us, seen, beside, cause.names, tuple(cause.about(made)),
            now_us - int(age * MINUTE_US), cause.onset,
        )  # fmt: skip
    return None


def pair_case(seed: int) -> Case | None:
    """A case of two causes at once: one that takes time, and one that does not yet; None where no world drawn shows both."""
    alone = [
        one
        for one in CAUSES
        if "single" in one.shapes and one.on == "writer" and one.looked_at is None and not one.beside
    ]
    for attempt in range(TRIES):
        rng = random.Random(f"pair {seed} {attempt}")
        costing, other = (rng.choice([one for one in alone if one.costs is costs]) for costs in (True, False))
        now_us = _moment(rng)
        made = world(rng, "single", now_us)
        troubles = []
        for cause in (costing, other):
            cause.prepare(rng, made)
            age = round(rng.uniform(*cause.ages), 1)
            troubles.append(
                {"cause": cause.name, "servers": [made.writer], "start_minutes_ago": age} | cause.draw(rng, made)
            )
        both, first = _with(made, *troubles), _with(made, troubles[0])
        if _ratio(made, first, made.writer, now_us) < SEEN:
            continue
        if any(
            one.shows and _level(both, made.writer, now_us, one.shows[0]) < one.shows[1] for one in (costing, other)
        ):
            continue
        began_us = now_us - int(troubles[0]["start_minutes_ago"] * MINUTE_US)
        return Case(
            seed, f"{costing.name} and {other.name}", both, now_us, made.writer, (), costing.names, tuple(costing.about(made)),
            began_us, costing.onset, other.names,
        )  # fmt: skip
    return None


def quiet_case(seed: int) -> Case:
    """A case in which nothing is wrong."""
    rng = random.Random(f"quiet {seed}")
    now_us = _moment(rng)
    made = world(rng, rng.choice(["single", "replicas"]), now_us)
    name, draw = QUIET[seed % len(QUIET)]
    document = made.document
    if name != "nothing":
        document = _with(
            made,
            {"cause": name, "servers": [made.writer], "start_minutes_ago": round(rng.uniform(10, 50), 1)}
            | draw(rng, made),
        )
    return Case(seed, name, document, now_us, made.writer, (), (), (), now_us)


def cases(seed: int, rounds: int) -> list[Case]:
    """``rounds`` cases of every cause."""
    drawn = [case_of(seed * 1000 + turn, cause) for turn in range(rounds) for cause in CAUSES]
    return [one for one in drawn if one is not None]


def _moment(rng: random.Random) -> int:
    """A moment of the week in which people work, for the most part."""
    hour = rng.choices(range(24), [1] * 7 + [6] * 13 + [2] * 4)[0]
    return WEEK_START_US + rng.randrange(7) * 24 * HOUR_US + hour * HOUR_US + rng.randrange(60) * MINUTE_US


def _with(made: World, *troubles: dict[str, Any]) -> dict[str, Any]:
    document = copy.deepcopy(made.document)
    document["troubles"] = list(troubles)
    return document


def _ratio(made: World, document: dict[str, Any], server: str, now_us: int) -> float:
    """Active sessions of the server over the last ten minutes, with the trouble ÷ without it."""
    sums = []
    for one in (document, made.document):
        frame = metric_frame(
            Fleet(Scenario.model_validate(one), now_us).histories[server], now_us - 10 * MINUTE_US, now_us
        )
        sums.append(float(frame["time_s"].sum()) if len(frame) else 0.0)
    return sums[0] / max(sums[1], 1e-9)


def _level(document: dict[str, Any], server: str, now_us: int, name: str) -> float:
    """A level of the server at its present."""
    frame = metric_frame(
        Fleet(Scenario.model_validate(document), now_us).histories[server], now_us - 2 * MINUTE_US, now_us
    )
    return float(frame[name][-1]) if name in frame.columns and len(frame) else 0.0
