"""Runs on a PostgreSQL that is made for the trial: each run begins with a start with its arm's settings, on a fresh copy of the filled data
where anything is written.

The instance runs as a user without rights where we are root, is reached over a socket of its own, and is gone with this process. What
is played is played by a role that may read and write the tables and nothing else.
"""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any

import polars as pl
import psycopg

from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.core.trials.soundness import Checked
from hardy_gauge.errors import GaugeError, ProbeError
from hardy_gauge.lab.instance import PORT, Instance, remove_leftovers
from hardy_gauge.lab.objects import ASKER, MAKER
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.arrivals import missed_of, sessions_of
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.parts import ArmSpec, MadePostgres, Workload
from hardy_gauge.load.postgres.arms import (
    add_indexes,
    asked_checks,
    asked_of,
    check_checks,
    check_names,
    check_statements,
    check_without_restart,
    drawn_from_columns,
    drop_indexes,
    setting_text,
    settings_in_force,
)
from hardy_gauge.load.postgres.filling import fill, major_of_facts, scripts_of
from hardy_gauge.load.postgres.plans import plans_of
from hardy_gauge.load.postgres.play import PostgresPlay, by_stage
from hardy_gauge.load.postgres.server_state import only_reads
from hardy_gauge.load.standard.size import lacking_room
from hardy_gauge.load.trial import Observed, PlanDocument
from hardy_gauge.probes.protocol import IndexSpec, PlannerFacts

# as a server that keeps what was committed; an arm may set it otherwise
DURABLE = {"fsync": "on", "synchronous_commit": "on", "full_page_writes": "on"}
NAME = "hardy-gauge trial"


class PostgresTarget:
    """Plays a workload on copies of one data folder. For the thread that made it."""

    reports_waits = True

    def __init__(
        self, place: MadePostgres, workload: Workload, arms: list[ArmSpec], cold: bool = False, facts: PlannerFacts | None = None
    ) -> None:  # fmt: skip
        """``facts`` are those of the server that the place names."""
        if cold:
            raise BadTrial(
                "run.cold: every run begins with a restart, but the system's own cache cannot be emptied here",
                "run.cold",
            )
        self.workload, self.workers, self.place = workload, sessions_of(workload.arrival), place
        # what only reads leaves the data as they are: no copy is needed for each run
        self._reads = all(only_reads(text) for one in workload.statements for text, _ in one.calls())
        changed = sum(bool(arm.add_indexes or arm.drop_indexes) for arm in arms)
        _check_room(place, 1 + (changed if self._reads else len(arms) + 1))
        self._observed = Observed()
        self._playing: PostgresPlay | None = None
        scripts = scripts_of(place) if facts is None else []
        wanted = None if facts is None else major_of_facts(facts)
        remove_leftovers()
        self._base = Instance.made(programs_for(place.major or wanted), None, ["--encoding=UTF8", "--locale=C"])
        try:
            filled = fill(self._base, place, scripts, facts)
            self._database, self._contexts, self._cautions = filled.database, filled.contexts, filled.cautions
            self.arms = {arm.name: self._prepared(number, arm) for number, arm in enumerate(arms)}
        except BaseException:
            self.close()
            raise

    def _prepared(self, number: int, arm: ArmSpec) -> dict[str, str]:
        """Check an arm and make its data: a copy of the filled one with its indexes. Returns the settings of its starts."""
        settings = DURABLE | {
            name: setting_text(value) for name, value in {**self.place.settings, **arm.settings}.items()
        }
        self._check_settings(f"arms.{number}", arm)
        one = self._base
        if not self._reads or arm.add_indexes or arm.drop_indexes:
            one = Instance(self._base.programs, self._base.folder / f"arm-{number}")
            _copied(self._base, one)
        try:
            one.start(settings)
        except ProbeError as error:
            raise BadTrial(f"arms.{number}.settings: {error}", f"arms.{number}.settings") from error
        try:
            with one.connect(self._database, MAKER) as maker:
                self._change(maker, f"arms.{number}", arm)
            with one.connect(self._database, ASKER) as asker:
                self.workload = drawn_from_columns(asker, self.workload)
                check_statements(asker, self.workload.statements)
                check_checks(asker, self.workload.checks)
        finally:
            one.stop()
        return {"folder": str(one.folder), **settings}

    def _check_settings(self, field: str, arm: ArmSpec) -> None:
        check_names(f"{field}.settings", arm.settings, self._contexts)
        check_names("target.postgresql.settings", self.place.settings, self._contexts)

    def check_steps(self, steps: Sequence[ArmSpec]) -> None:
        """BadTrial where a step cannot be made while the server works."""
        check_without_restart(steps, self._contexts)

    def _change(self, maker: psycopg.Connection[Any], field: str, arm: ArmSpec, how: str = "") -> None:
        """Build and drop the indexes of an arm; ``how`` is ``CONCURRENTLY `` under load."""

        def name_of(index: IndexSpec, number: int) -> str:
            return index.name or f"trial_{field.replace('.', '_')}_{number}"

        add_indexes(maker, field, arm.add_indexes, name_of, how)
        drop_indexes(maker, field, arm.drop_indexes, how)
        if arm.add_indexes and not how:
            maker.execute("VACUUM ANALYZE")

    def admit(self, arm: ArmSpec) -> None:
        """Let an arm run that changes settings alone, on the data of the first."""
        first = next(iter(self.arms.values()))
        self._check_settings("tuner", arm)
        self.arms[arm.name] = first | {name: setting_text(value) for name, value in arm.settings.items()}

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Empty when ``progress`` says to stop."""
        with (
            self._copy_of(arm.name) as (one, watcher),
            closing(PostgresPlay(self._reached(one), watcher, [arm.name], here=True)) as play,
        ):
            self._playing = play
            plans = self._plans(one)
            asked = asked_of(self.workload, seconds, seed)
            frame = play.run(arm.workers or self.workers, asked, progress)
            checks = self._checks(one) if len(frame) else []
            self._observed = Observed(
                play.families(),
                self._in_force(watcher),
                plans,
                checks,
                [*self._cautions, *missed_of(self.workload.arrival, len(asked["due"] or ()), len(frame))],
            )
            return frame

    def run_stages(
        self, steps: Sequence[ArmSpec], seconds: float, seed: int, progress: Callable[[float], bool]
    ) -> list[tuple[pl.DataFrame, Observed]]:  # fmt: skip
        """One load all the time, begun as the first arm is, with each of ``steps`` made under it: executions and what was seen of the
        stage before the first and of one after each. Empty when ``progress`` says to stop. BadTrial where a step cannot be made.
        """
        names = [name for step in steps for name in step.settings]
        told: list[tuple[dict[str, str], Sequence[PlanDocument | None]]] = []

        def tell() -> None:
            told.append((self._in_force(watcher, names), self._plans(one)))

        def lift(number: int, step: ArmSpec) -> None:
            tell()
            self._lift(one, watcher, number, step)

        with self._copy_of(next(iter(self.arms)), names) as (one, watcher):
            with closing(PostgresPlay(self._reached(one), watcher, list(self.arms), here=True)) as play:
                self._playing = play
                changes = [partial(lift, number, step) for number, step in enumerate(steps)]
                frame, stages = play.run_stages(self.workers, asked_of(self.workload, seconds, seed), changes, progress)
            tell()
        return by_stage(frame, stages, told)

    def _lift(
        self, one: Instance, watcher: psycopg.Connection[Any], number: int, step: ArmSpec
    ) -> None:  # fmt: skip
        """Make a change while the server works: settings by reading its files anew, indexes without holding writers up."""
        field = f"steps.{number}"
        for name, value in step.settings.items():
            set_to = psycopg.sql.SQL("ALTER SYSTEM SET {} = {}")
            watcher.execute(set_to.format(psycopg.sql.Identifier(name), psycopg.sql.Literal(setting_text(value))))
        watcher.execute("SELECT pg_reload_conf()")
        with one.connect(self._database, MAKER) as maker:
            self._change(maker, field, step, "CONCURRENTLY ")

    @contextmanager
    def _copy_of(
        self, name: str, changeable: Sequence[str] | None = None
    ) -> Iterator[tuple[Instance, psycopg.Connection[Any]]]:  # fmt: skip
        """The data of an arm, a fresh copy of them where they may be changed, started with its settings, and a session of its owner.
        ``changeable`` are the settings that steps change while it runs; None where no step is made.
        """
        settings = dict(self.arms[name])
        prepared = Instance(self._base.programs, Path(settings.pop("folder")))
        kept = self._reads and changeable is None
        one = prepared if kept else Instance(self._base.programs, self._base.folder / "run")
        if not kept:
            _copied(prepared, one)
        one.start(settings, changeable or ())
        try:
            with one.connect(self._database) as watcher:
                yield one, watcher
        finally:
            one.stop(crash=not kept)
            if not kept:
                shutil.rmtree(one.folder, ignore_errors=True)

    def _plans(self, one: Instance) -> list[PlanDocument | None]:
        with one.connect(self._database, ASKER) as asker:
            return plans_of(asker, self.workload.statements)

    def _checks(self, one: Instance) -> list[Checked]:
        with one.connect(self._database, ASKER) as asker:
            return asked_checks(asker, self.workload.checks)

    def _in_force(self, watcher: psycopg.Connection[Any], more: Sequence[str] = ()) -> dict[str, str]:
        """Settings as the server tells them: those that are always shown, and those that some arm has."""
        return settings_in_force(
            watcher, [*more, *(name for arm in self.arms.values() for name in arm if name != "folder")]
        )

    def _reached(self, one: Instance) -> dict[str, Any]:
        """How the workers connect: as a role that may read and write the tables and nothing else."""
        return {
            "host": one.host, "port": PORT, "user": ASKER, "dbname": self._database, "connect_timeout": 20, "application_name": NAME,
            "options": f"-c default_transaction_read_only={'on' if self._reads else 'off'}",
        }  # fmt: skip

    def live(self) -> LiveRun | None:
        """The run that goes on."""
        return None if self._playing is None else self._playing.live()

    def observed(self) -> Observed:
        """What was seen of the last run."""
        return self._observed

    def close(self) -> None:
        """Take the instance away."""
        self._base.remove()


def _check_room(place: MadePostgres, copies: int) -> None:
    """BadTrial where so many copies of the data of a standard set do not fit."""
    if place.standard is None:
        return
    free = shutil.disk_usage(tempfile.gettempdir()).free
    if lacking := lacking_room(place.standard.set, place.standard.scale, copies, free):
        field = "target.postgresql.standard.scale"
        raise BadTrial(f"{field}: {lacking}", field)


def _copied(of: Instance, to: Instance) -> None:
    """The data folder of one that is stopped, with its owner and rights."""
    shutil.rmtree(to.folder, ignore_errors=True)
    to.folder.mkdir(mode=0o700)
    shutil.copystat(of.folder, to.folder)
    found = of.folder.stat()
    with suppress(PermissionError):
        shutil.chown(to.folder, found.st_uid, found.st_gid)
    done = subprocess.run(
        ["cp", "-a", "--reflink=auto", str(of.data), str(to.data)], capture_output=True, text=True, check=False
    )
    if done.returncode:
        raise GaugeError(f"the data could not be copied: {done.stderr.strip()[-200:]}", "target.postgresql")
