"""What a piece of advice brings, measured: a trial of its change on the practice server that has the trouble, or the trouble undone.

A trial is run by events under the server's own load, with the same arrivals for both arms. Advice whose change a practice server
cannot make (a text that the application sends, statistics gathered, a plan pinned) is measured by the same hour without the trouble.
"""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.remedies.remedy import Remedy
from hardy_gauge.core.sql.normalise import fingerprint
from hardy_gauge.probes.protocol import Arrival, IndexSpec, PlayRequest, PlayStatement
from practice_fleet.fleet import Fleet
from practice_fleet.frames import statement_frame
from practice_fleet.history import History
from practice_fleet.makes import MAKES
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from tests.truth.generator.drawing import Case
from tests.truth.generator.worlds import MINUTE_US

WON = "active sessions won back"
TRIAL_S, WARM_S, SEEDS = 60, 20, (1, 2)
MINUTES = 10
# of these the time is won by those who wait, whatever they run
HELD = ("idle_transaction", "lock_chain", "schema_change_queue", "prepared_transaction_left")


@dataclass(frozen=True)
class Effect:
    """Active sessions that advice says would be won back, with its range, and what was measured, by a trial or undone."""

    said: float
    low: float
    high: float
    measured: float
    by: str

    @property
    def holds(self) -> bool:
        return self.low <= self.measured <= self.high


def effect_of(case: Case, finding: Finding) -> Effect | None:
    """None where the finding's first remedy does not say what it would win back."""
    for remedy in finding.remedies[:1]:
        for said in remedy.expected:
            if said.what == WON and said.low is not None and said.high is not None:
                tried = remedy.index is not None or remedy.setting is not None
                won = _tried(case, finding, remedy) if tried else _undone(case, finding)
                return Effect(said.value, said.low, said.high, won, "trial" if tried else "undone")
    return None


def _history(case: Case, **other: object) -> History:
    return Fleet(Scenario.model_validate(case.document | other), case.now_us).histories[case.server]


def _keys(history: History, finding: Finding) -> list[str]:
    return [k for k, s in history.server.every_statement.items() if fingerprint(s.sql) == finding.subject.name]


def _undone(case: Case, finding: Finding) -> float:
    """The time with the trouble less that without it, over the time that the finding is of: of its statement, or of all who wait."""
    span_us = int(finding.looked_s * 1e6)
    seconds = []
    for history in (_history(case), _history(case, troubles=[])):
        frame = statement_frame(history, case.now_us - span_us, case.now_us)
        mine = pl.lit(True) if finding.cause in HELD else pl.col("statement_key").is_in(_keys(history, finding))
        seconds.append(float(frame.filter(mine)["time_s"].sum()))
    return (seconds[0] - seconds[1]) / (span_us / 1e6)


def _tried(case: Case, finding: Finding, remedy: Remedy) -> float:
    """Active sessions in the control arm less those in the arm with the change: of the statement, or of all where it is no statement's."""
    history = _history(case)
    state = history.server.state(case.now_us - 1)
    offered = history.server.offered(state, case.now_us - MINUTES * MINUTE_US, MINUTES).mean(axis=1)
    rates = dict(zip(state.statements, offered.tolist(), strict=True))
    texts = [PlayStatement(text=state.statements[key].sql, weight=rate) for key, rate in rates.items() if rate > 0]
    mine = [
        number
        for number, one in enumerate(texts)
        if finding.subject.kind != "statement" or fingerprint(one.text) == finding.subject.name
    ]
    arrival = Arrival(kind="open", rate_per_s=sum(one.weight for one in texts))
    make = MAKES[history.server.cluster.make]
    indexes = [IndexSpec(table=remedy.index.table, columns=remedy.index.columns)] if remedy.index else []
    settings = dict([make.meant(remedy.setting.name, remedy.setting.value)]) if remedy.setting else {}
    sessions = []
    for arm in ({}, []), (settings, indexes):
        on = history.server.trial_state(case.now_us - 1, texts, *arm, [], arrival)
        for seed in SEEDS:
            wanted = PlayRequest(statements=texts, arrival=arrival, seconds=TRIAL_S, seed=seed)
            seen = event_run(on, wanted, history.at(case.now_us - 1).foreign_pages_per_s).play(TRIAL_S).samples
            warm = seen.filter(pl.col("statement").is_in(mine), pl.col("tick_s") > WARM_S)
            sessions.append(len(warm) / (TRIAL_S - WARM_S))
    half = len(SEEDS)
    return (sum(sessions[:half]) - sum(sessions[half:])) / half
