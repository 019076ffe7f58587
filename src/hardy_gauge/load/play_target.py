"""Runs on a server that plays workloads itself: asked over the probe protocol, watched, stopped."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from contextlib import suppress

import polars as pl

from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import ArmSpec, Workload
from hardy_gauge.load.trial import Observed, PlanDocument
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import (
    Arrival,
    ExplainRequest,
    PlayRequest,
    PlayState,
    PlayStatement,
    ProbeError,
    Refused,
)
from hardy_gauge.probes.wait_map import wait_map

POLL_S = 0.15


class PlayTarget:
    """Plays every arm on one server; changes of an arm hold for its runs only."""

    reports_waits = True

    def __init__(self, probe: HttpProbe, workload: Workload, arms: list[ArmSpec], cold: bool = False) -> None:
        self.probe, self.workload, self.cold = probe, workload, cold
        identity = probe.identity()
        if "play" not in identity.abilities:
            raise BadTrial(f"target.server: {identity.server} cannot play workloads", "target.server")
        self.families = wait_map(identity.engine)
        self._plans: list[PlanDocument | None] = []
        self._live: LiveRun | None = None
        self._check(arms)

    def _check(self, arms: list[ArmSpec], tuned: bool = False) -> None:
        """Have the server plan every statement in every arm, and try the settings, before the first run."""
        for number, arm in enumerate(arms):
            i, where = 0, "tuner" if tuned else f"arms.{number}"
            try:
                for i, statement in enumerate(self.workload.statements):  # noqa: B007
                    request = ExplainRequest(
                        text=statement.sql, add_indexes=arm.add_indexes, drop_indexes=arm.drop_indexes
                    )
                    self.probe.explain(request)
            except Refused as error:
                field = f"workload.statements.{i}.sql" if error.field == "text" else f"{where}.{error.field}"
                raise BadTrial(f"{field}: {error}", field) from error
            known = {s.name: s for s in self.probe.settings().settings}
            for name, value in arm.settings.items():
                setting = known.get(name)
                field = f"{where}.settings.{name}"
                if setting is None:
                    raise BadTrial(f"{field}: no such setting; known: {', '.join(known)}", field)
                if setting.minimum is not None and not (
                    isinstance(value, int | float) and setting.minimum <= value <= (setting.maximum or value)
                ):
                    raise BadTrial(f"{field}: from {setting.minimum:g} to {setting.maximum:g} {setting.unit}", field)
                if setting.choices is not None and value not in setting.choices:
                    raise BadTrial(f"{field}: one of {', '.join(setting.choices)}", field)

    def admit(self, arm: ArmSpec) -> None:
        """Let an arm run that changes settings alone, once the server has tried them."""
        self._check([arm], tuned=True)

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, and seconds by wait family."""
        state = self.probe.play(
            PlayRequest(
                statements=[PlayStatement(text=s.sql, weight=s.weight) for s in self.workload.statements],
                arrival=self._arrival(arm), seconds=seconds, seed=seed, cold=self.cold,
                settings=arm.settings,
                add_indexes=arm.add_indexes, drop_indexes=arm.drop_indexes,
            )
        )  # fmt: skip
        self._plans = [one.model_dump() for one in state.plans]
        stopped = False
        try:
            while state.state == "running":
                time.sleep(POLL_S)
                state = self.probe.play_state(state.play)
                self._live = self._told(arm.name, state)
                if not progress(state.done_s) and not stopped:
                    self.probe.stop_play(state.play)
                    stopped = True
        except SystemExit:
            with suppress(ProbeError):
                self.probe.stop_play(state.play)
            raise
        finally:
            self._live = None
        if state.state == "failed":
            raise GaugeError(f"the run failed on the server: {state.detail}", "target.server")
        frame = self.probe.play_rows(state.play, "executions")
        events = [c for c in frame.columns if c.startswith("wait.")]
        families: dict[str, list[str]] = {}
        for column in events:
            families.setdefault(self.families.family(column.removeprefix("wait.")), []).append(column)
        sums = [pl.sum_horizontal(columns).alias(f"family.{family}") for family, columns in families.items()]
        return frame.with_columns(sums).drop(events)

    def _arrival(self, arm: ArmSpec) -> Arrival:
        arrival = self.workload.arrival.protocol()
        return arrival if arm.workers is None else arrival.model_copy(update={"workers": arm.workers})

    def live(self) -> LiveRun | None:
        """The run that goes on, where the server tells how it goes."""
        return self._live

    def _told(self, arm: str, state: PlayState) -> LiveRun | None:
        rows = state.by_second
        if not rows:
            return None
        waits = [None if row.waits is None else self._by_family(row.waits) for row in rows]
        return LiveRun(
            arm, state.seconds, state.since_s, [row.ended for row in rows], [row.failed for row in rows],
            [row.took_s / row.ended if row.ended else None for row in rows],
            {
                name: [None if one is None else one.get(name, 0.0) for one in waits]
                for name in dict.fromkeys(name for one in waits if one for name in one)
            },
            {name: [row.busy.get(name) for row in rows] for name in dict.fromkeys(name for row in rows for name in row.busy)},
        )  # fmt: skip

    def _by_family(self, events: Mapping[str, float]) -> dict[str, float]:
        found: dict[str, float] = {}
        for event, sessions in events.items():
            family = self.families.family(event)
            found[family] = found.get(family, 0.0) + sessions
        return found

    def observed(self) -> Observed:
        """The plans that the server said it would use."""
        return Observed(plans=self._plans)

    def close(self) -> None:
        self.probe.close()
