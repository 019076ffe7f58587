"""A set of indexes proven on made data: the workload called without them and with them, against what the planner promised there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import psycopg
from numpy.typing import NDArray

from hardy_gauge.core.narrative.proof import index_basis_words, index_proof_sentence
from hardy_gauge.core.proof.results import IndexProof, StatementProof
from hardy_gauge.core.trials.compare import paired_ratio
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.made.calls import call, said
from hardy_gauge.lab.made.fill import Made
from hardy_gauge.lab.made.parameters import draw_parameters, with_shared_parameters
from hardy_gauge.probes.sqlpack.postgresql.explain import prepared_plan

MOST_STATEMENTS = 60
DRAWS, ROUNDS = 8, 2
SLOW_S = 1.0  # a call that takes longer is not made so often
Times = NDArray[np.float64]


@dataclass(frozen=True)
class CalledText:
    """A statement of the workload, and how often it is called in the span."""

    fingerprint: str
    text: str
    calls: float


@dataclass
class _Called:
    of: CalledText
    text: str
    values: list[list[str | None]]
    cost: tuple[float, float] = (0.0, 0.0)


def prove_indexes(
    made: Made, texts: Sequence[CalledText], build: Sequence[str], drop: Sequence[str], undo: Sequence[str], draws: int = DRAWS, seed: int = 1
) -> IndexProof:  # fmt: skip
    """``build`` and ``drop`` are the scripts of the set, ``undo`` takes it back. Called without, with, and without once more, so that what
    drifts is in both. InvalidInput where a script cannot be run on the made data.
    """
    problems: list[StatementProof] = []
    with made.connect() as connection, made.owner() as owner:
        owner.execute("SET statement_timeout = '120s'")
        called = [
            one for text in texts[:MOST_STATEMENTS] if (one := _ready(made, connection, text, draws, seed, problems))
        ]
        first = [_timed(connection, one) for one in called]
        costs = [_cost(connection, one.text) for one in called]
        _run_all(owner, [*build, *drop])
        second = [_timed(connection, one) for one in called]
        for one, cost in zip(called, costs, strict=True):
            one.cost = cost, _cost(connection, one.text)
        _run_all(owner, undo)
        third = [_timed(connection, one) for one in called]
    before = [(a + b) / 2 for a, b in zip(first, third, strict=True)]
    found = [_statement(one, was, now) for one, was, now in zip(called, before, second, strict=True)]
    return _proof(made, called, before, second, found + problems)


def _ready(
    made: Made, connection: psycopg.Connection[Any], of: CalledText, draws: int, seed: int, problems: list[StatementProof]
) -> _Called | None:  # fmt: skip
    text = with_shared_parameters([of.text])[0] if made.values == "replaced" else of.text
    try:
        values = draw_parameters(connection, [text], draws, seed)
        values = values * draws if len(values) == 1 else values
        with connection.transaction(force_rollback=True):
            took = call(connection, text, "text", values[0])[2]
        return _Called(of, text, values if took < SLOW_S else values[:2])
    except psycopg.Error as error:
        problems.append(StatementProof(of.fingerprint, of.text, None, None, None, None, said(error)))
    except InvalidInput as error:
        problems.append(StatementProof(of.fingerprint, of.text, None, None, None, None, error.detail))
    return None


def _timed(connection: psycopg.Connection[Any], one: _Called) -> Times:
    """Seconds with each list of values, the least of some rounds."""
    found = np.full(len(one.values), np.inf)
    for _ in range(ROUNDS):
        for place, values in enumerate(one.values):
            with connection.transaction(force_rollback=True):
                found[place] = min(found[place], call(connection, one.text, "text", values)[2])
    return found


def _cost(connection: psycopg.Connection[Any], text: str) -> float:
    connection.execute("SET plan_cache_mode = force_generic_plan")
    connection.execute(f"PREPARE priced AS {text}".encode(), binary=True)
    try:
        return float(prepared_plan(connection, "priced")[0]["Plan"]["Total Cost"])
    finally:
        connection.execute("DEALLOCATE priced")
        connection.execute("RESET plan_cache_mode")


def _run_all(owner: psycopg.Connection[Any], scripts: Sequence[str]) -> None:
    for script in scripts:
        try:
            owner.execute(script.encode(), binary=True)
        except psycopg.Error as error:
            raise InvalidInput(f"index: {script}: {said(error)}", "index") from error
    owner.execute("ANALYZE")


def _statement(one: _Called, was: Times, now: Times) -> StatementProof:
    before, after = float(was.mean()), float(now.mean())
    promised = one.cost[1] / one.cost[0] if one.cost[0] else None
    return StatementProof(one.of.fingerprint, one.of.text, before, after, after / before if before else None, promised)


def _proof(
    made: Made, called: Sequence[_Called], before: Sequence[Times], after: Sequence[Times], found: list[StatementProof]
) -> IndexProof:
    cautions = made.cautions
    if not called:
        return IndexProof(
            index_proof_sentence(None, None, None, 0),
            index_basis_words(made.tables),
            None,
            None,
            None,
            found,
            made.tables,
            cautions,
        )
    draws = min(len(one.values) for one in called)
    totals = [
        np.sum([one.of.calls * times[:draws] for one, times in zip(called, side, strict=True)], axis=0)
        for side in (before, after)
    ]
    whole = [
        sum(one.of.calls * float(times.mean()) for one, times in zip(called, side, strict=True))
        for side in (before, after)
    ]
    then = sum(
        one.of.calls * float(was.mean()) * (one.cost[1] / one.cost[0] if one.cost[0] else 1.0)
        for one, was in zip(called, before, strict=True)
    )
    ratio = paired_ratio(totals[0].tolist(), totals[1].tolist()) if draws > 1 else None
    promised, measured = 1 - then / whole[0], 1 - whole[1] / whole[0]
    sentence = index_proof_sentence(promised, measured, ratio, len(called))
    return IndexProof(
        sentence,
        index_basis_words(made.tables),
        promised,
        measured,
        ratio,
        sorted(found, key=_weight(called, before)),
        made.tables,
        cautions,
    )


def _weight(called: Sequence[_Called], before: Sequence[Times]) -> Any:
    spent = {one.of.fingerprint: one.of.calls * float(was.mean()) for one, was in zip(called, before, strict=True)}
    return lambda one: -spent.get(one.fingerprint, 0.0)
