"""Runs on a lab server of the fleet that is a PostgreSQL, reached with accounts of the keyring; everything is set back at the end.

Settings that a session can have are given to the sessions that play, and change nothing else. Others are changed for the whole server,
read anew or with the restart command that the person gave. What sets the server back is stored before the first change (``way_back``).
"""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Sequence
from contextlib import closing
from functools import partial
from typing import Any

import polars as pl
import psycopg
from psycopg import sql

from hardy_gauge.capture.access import APPLICATION, AccountUser
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.arrivals import missed_of, sessions_of
from hardy_gauge.load.design import BadTrial, TrialDesign
from hardy_gauge.load.parts import ArmSpec
from hardy_gauge.load.postgres import way_back
from hardy_gauge.load.postgres.access import connect, open_access
from hardy_gauge.load.postgres.arms import (
    add_indexes,
    asked_checks,
    asked_of,
    changed_settings,
    check_checks,
    check_names,
    check_statements,
    check_without_restart,
    contexts_of,
    drawn_from_columns,
    drop_indexes,
    setting_text,
    settings_in_force,
)
from hardy_gauge.load.postgres.plans import plans_of
from hardy_gauge.load.postgres.play import PostgresPlay, by_stage
from hardy_gauge.load.postgres.server_state import (
    OF_SESSIONS,
    check_added,
    check_player,
    check_texts,
    index_name,
    options_of,
    way_back_of_setting,
    ways_back_of_dropped,
)
from hardy_gauge.load.trial import Observed, PlanDocument
from hardy_gauge.store.database import Store

NOTICED_S, SETTLE_S = 10.0, 0.5
ALWAYS = (("statement_timeout", "0"), ("lock_timeout", "0"), ("idle_in_transaction_session_timeout", "0"))
NOTICES_ABSENCE = 140000  # since this version a session whose client is gone ends while it works
END_OTHERS = """
SELECT r.rolsuper OR pg_has_role(%s, 'USAGE') OR pg_has_role('pg_signal_backend', 'USAGE') FROM pg_roles r WHERE r.rolname = current_user
"""


class ServerTarget:
    """Plays a workload on a server that is there. For the thread that made it; nothing is changed before the first run."""

    reports_waits = True

    def __init__(
        self, store: Store, design: TrialDesign, user: AccountUser = APPLICATION, trial_id: int | None = None
    ) -> None:
        place, workload = design.target, design.workload
        if design.run.cold:
            raise BadTrial("run.cold: the caches of a server of the fleet are not emptied", "run.cold")
        assert place.server is not None
        self.workload, self.workers, self.place = workload, sessions_of(workload.arrival), place
        self._store, self._trial_id = store, trial_id
        self._staged = design.kind == "steps"
        self._observed = Observed()
        self._playing: PostgresPlay | None = None
        self._token = secrets.token_hex(3)
        self._name = f"hardy-gauge trial {self._token}"
        self._row: int | None = None
        self._guard: way_back.Guard | None = None
        self._whole: dict[str, way_back.Command] = {}  # of settings of the whole server
        self._dropped: dict[str, way_back.Command] = {}
        self._held: dict[str, str] = {}
        self._added: list[str] = []
        self._gone: list[str] = []
        self._restarts = False
        check_texts(workload, place.keep_writes)
        self._access = open_access(store, place.server, place.account, place.player, place.database, user)
        try:
            self._watcher = connect(self._access.changer, self._name, "target.account")
            self._watcher.execute("SET default_transaction_read_only = off")
            self._contexts = contexts_of(self._watcher)
            self.arms = {arm.name: arm for arm in design.arms}
            for number, arm in enumerate(design.arms):
                self._check(f"arms.{number}", arm)
            with self._player(()) as player:
                check_player(player, place.player is not None)
                self._check_ending(player)
                self.workload = drawn_from_columns(player, workload)
                check_statements(player, self.workload.statements)
                check_checks(player, workload.checks)
        except BaseException:
            self.close()
            raise

    def _player(self, settings: Sequence[tuple[str, str]], field: str = "") -> psycopg.Connection[Any]:
        named = "target.player" if self.place.player else "target.account"
        return connect(self._reached(settings), self._name, field or named)

    def _reached(self, settings: Sequence[tuple[str, str]]) -> dict[str, Any]:
        """How the workers connect: read-only unless what they write may stay; their sessions end when they do."""
        always = [*ALWAYS, ("default_transaction_read_only", "off" if self.place.keep_writes else "on")]
        if self._watcher.info.server_version >= NOTICES_ABSENCE:
            always.append(("client_connection_check_interval", "1s"))
        return self._access.player | {"application_name": self._name, "options": options_of([*always, *settings])}

    def _check(self, field: str, arm: ArmSpec) -> None:
        check_names(f"{field}.settings", arm.settings, self._contexts)
        for name in arm.settings:
            at = f"{field}.settings.{name}"
            if not self._of_sessions(name) and name not in self._whole:
                self._whole[name] = way_back_of_setting(self._watcher, name, at)
            if self._contexts[name] == "postmaster":
                if self.place.restart is None:
                    detail = f"{at}: it wants a restart; give target.restart, the command of this machine that restarts the server (from the command line only)"
                    raise BadTrial(detail, at)
                self._restarts = True
        if asked := self._session_settings(arm):
            self._player(asked, f"{field}.settings").close()
        check_added(self._watcher, field, arm)
        self._dropped |= ways_back_of_dropped(self._watcher, field, arm.drop_indexes)

    def _of_sessions(self, name: str) -> bool:
        """Whether the sessions that play are given a setting; under a load that goes on, their sessions are there already."""
        return self._contexts[name] in OF_SESSIONS and not self._staged

    def _session_settings(self, arm: ArmSpec) -> list[tuple[str, str]]:
        return [(name, setting_text(value)) for name, value in arm.settings.items() if self._of_sessions(name)]

    def _check_ending(self, player: psycopg.Connection[Any]) -> None:
        row = self._watcher.execute(END_OTHERS, [player.info.user]).fetchone()
        if row is None or not row[0]:
            detail = f"target.account: it may not end sessions of {player.info.user}; GRANT pg_signal_backend TO it"
            raise BadTrial(detail, "target.account")

    def check_steps(self, steps: Sequence[ArmSpec]) -> None:
        """BadTrial where a step cannot be made while the server works."""
        check_without_restart(steps, self._contexts)

    def admit(self, arm: ArmSpec) -> None:
        """Let an arm run that changes settings alone. What sets them back has to be known before the first change."""
        known = set(self._whole)
        self._check("tuner", arm)
        if self._row is not None and set(self._whole) - known:
            raise BadTrial("tuner: a setting that was not known when the trial began", "tuner")
        self.arms[arm.name] = arm

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Empty when ``progress`` says to stop."""
        self._become(arm)
        reached = self._reached(self._session_settings(arm))
        with closing(PostgresPlay(reached, self._watcher, [arm.name])) as play:
            self._playing = play
            plans = self._plans(reached)
            asked = asked_of(self.workload, seconds, seed)
            frame = play.run(arm.workers or self.workers, asked, progress)
            with psycopg.connect(**reached, autocommit=True) as player:
                checks = asked_checks(player, self.workload.checks) if len(frame) else []
                told = settings_in_force(player, changed_settings(self.arms.values()))
            self._observed = Observed(
                play.families(),
                told,
                plans,
                checks,
                missed_of(self.workload.arrival, len(asked["due"] or ()), len(frame)),
            )
            return frame

    def run_stages(
        self, steps: Sequence[ArmSpec], seconds: float, seed: int, progress: Callable[[float], bool]
    ) -> list[tuple[pl.DataFrame, Observed]]:  # fmt: skip
        """As on a made PostgreSQL: one load all the time, with each of ``steps`` made under it."""
        arms, reached = list(self.arms.values()), self._reached(())
        told: list[tuple[dict[str, str], Sequence[PlanDocument | None]]] = []

        def tell() -> None:
            with psycopg.connect(**reached, autocommit=True) as player:
                told.append((settings_in_force(player, changed_settings(arms)), self._plans(reached)))

        def lift(number: int) -> None:
            tell()
            self._become(arms[number + 1], "CONCURRENTLY ")

        self._become(arms[0])
        with closing(PostgresPlay(reached, self._watcher, list(self.arms))) as play:
            self._playing = play
            changes = [partial(lift, number) for number in range(len(steps))]
            frame, stages = play.run_stages(self.workers, asked_of(self.workload, seconds, seed), changes, progress)
        tell()
        return by_stage(frame, stages, told)

    def _plans(self, reached: dict[str, Any]) -> list[PlanDocument | None]:
        with psycopg.connect(**reached, autocommit=True) as player:
            return plans_of(player, self.workload.statements)

    def _begin(self) -> None:
        """Nobody else changes the server, and how it is set back is kept."""
        mine = self._access.server_id
        if any(lives for _, lives in way_back.unfinished(self._store, mine)):
            raise BadTrial(
                f"target.server: another trial is changing {self.place.server}; wait for its end", "target.server"
            )
        if problems := way_back.set_back_all(self._store, clock_us(), mine):
            detail = f"target.server: an earlier trial left {self.place.server} changed: {'; '.join(problems)}"
            raise BadTrial(detail, "target.server")
        names = [self._index_name(arm, number) for arm in self.arms.values() for number in range(len(arm.add_indexes))]
        commands = [
            *(
                way_back.Command(
                    sql.SQL("DROP INDEX CONCURRENTLY IF EXISTS {}").format(sql.Identifier(*name.split("."))).as_string(self._watcher),
                    f"index {name} of the trial is taken away",
                )
                for name in dict.fromkeys(names)
            ),
            *self._dropped.values(),
            *self._whole.values(),
        ]  # fmt: skip
        restart = (self.place.restart or "") if self._restarts else ""
        self._row = way_back.keep(self._store, self._access, self._trial_id, self._name, commands, restart, clock_us())
        self._guard = way_back.Guard(self._store, self._row)

    def _index_name(self, arm: ArmSpec, number: int) -> str:
        place = (
            "s" if self._staged else list(self.arms).index(arm.name)
        )  # the arms of steps have their indexes together
        return index_name(arm.add_indexes[number], f"trial_{self._token}_{place}_{number}")

    def _become(self, arm: ArmSpec, how: str = "") -> None:
        """Make the server what an arm says, from what it is now."""
        if self._row is None:
            self._begin()
        place = list(self.arms).index(arm.name)
        field = f"steps.{place - 1}" if self._staged and place else f"arms.{place}"
        self._set(arm, field)
        self._index(arm, field, how)

    def _set(self, arm: ArmSpec, field: str) -> None:
        wanted = {name: setting_text(value) for name, value in arm.settings.items() if name in self._whole}
        changed = [name for name in self._whole if wanted.get(name) != self._held.get(name)]
        for name in changed:
            command = self._whole[name].sql.encode()
            if name in wanted:
                given = sql.SQL("ALTER SYSTEM SET {} = {}").format(sql.Identifier(name), sql.Literal(wanted[name]))
                command = given.as_bytes(self._watcher)
            try:
                self._watcher.execute(command)
            except psycopg.Error as error:
                raise BadTrial(f"{field}.settings.{name}: {said(error)}", f"{field}.settings.{name}") from error
        self._held = wanted
        if changed:
            self._read_anew()
        if self._restarts:  # before every run, so that every arm begins alike
            self._watcher.close()
            way_back.restart_server(self.place.restart or "")
            self._watcher = way_back.reconnected(self._access, self._name)
            self._watcher.execute("SET default_transaction_read_only = off")

    def _read_anew(self) -> None:
        """And wait until it is done, and the server's own processes have noticed."""
        before = self._watcher.execute("SELECT pg_conf_load_time()").fetchone()
        self._watcher.execute(way_back.RELOAD)
        until = time.monotonic() + NOTICED_S
        while time.monotonic() < until and self._watcher.execute("SELECT pg_conf_load_time()").fetchone() == before:
            time.sleep(0.05)
        time.sleep(SETTLE_S)

    def _index(self, arm: ArmSpec, field: str, how: str) -> None:
        names = [self._index_name(arm, number) for number in range(len(arm.add_indexes))]
        drop_indexes(self._watcher, field, [name for name in self._added if name not in names], how)
        for name in [name for name in self._gone if name not in arm.drop_indexes]:
            self._watcher.execute(self._dropped[name].sql.encode())
        new = [(index, name) for index, name in zip(arm.add_indexes, names, strict=True) if name not in self._added]
        add_indexes(
            self._watcher, field, [index for index, _ in new], lambda _, number: new[number][1].rpartition(".")[2], how
        )
        drop_indexes(self._watcher, field, [name for name in arm.drop_indexes if name not in self._gone], how)
        self._added, self._gone = names, list(arm.drop_indexes)

    def live(self) -> LiveRun | None:
        """The run that goes on."""
        return None if self._playing is None else self._playing.live()

    def observed(self) -> Observed:
        """What was seen of the last run."""
        return self._observed

    def close(self) -> None:
        """Set the server back. What could not be is kept with the way back, and tried again by the application."""
        if "_watcher" in self.__dict__ and not self._watcher.closed:
            self._watcher.close()
        if self._row is not None:
            way_back.set_back(self._store, self._row, clock_us())
            self._row = None
        if self._guard is not None:
            self._guard.dismiss()
            self._guard = None
        self._access.close()
