"""How the application itself is: what it counts of its own work, and what is wrong."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import psutil
from sqlalchemy import func, select
from sqlalchemy.exc import DatabaseError

from hardy_gauge.core.activity.capture_work import CaptureWork
from hardy_gauge.core.narrative.own_health import (
    Check,
    backups_check,
    damage_check,
    disk_check,
    health_sentence,
    keyring_check,
    recording_check,
    store_check,
)
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.backup_schedule import backups_in, schedule_of
from hardy_gauge.store.keyring import Keyring, KeyringError
from hardy_gauge.store.models import Account, DamagedSegment, Import
from hardy_gauge.store.trial_models import Trial
from hardy_gauge.store.use import used_bytes


@dataclass(frozen=True)
class OwnFigure:
    """One figure by its name, with what it is of; ``counted`` ones only grow."""

    name: str
    value: float
    unit: str
    words: str
    counted: bool = False


@dataclass(frozen=True)
class OwnFigures:
    figures: list[OwnFigure]


@dataclass(frozen=True)
class Readiness:
    """Whether the application does its work, and each thing that was looked at."""

    ready: bool
    sentence: str
    checks: list[Check]


class OwnHealth:
    """Of one application; ``work`` is None where it records nothing."""

    def __init__(
        self, reader: Reader, settings: AppSettings, work: Callable[[], CaptureWork] | None, workers: Callable[[], int]
    ) -> None:
        self.reader, self.settings, self.work, self.workers = reader, settings, work, workers
        self._process = psutil.Process()
        self._began = time.monotonic()

    def figures(self) -> OwnFigures:
        """Everything it counts, now."""
        work = self.work() if self.work is not None else CaptureWork()
        health = self.reader.store.health
        memory = self._process.memory_info()
        disk = shutil.disk_usage(self.settings.data)
        with self.reader.store.read() as session:
            used = used_bytes(session)
            imports = session.scalar(select(func.count()).select_from(Import).where(Import.state == "running")) or 0
            trials = (
                session.scalar(select(func.count()).select_from(Trial).where(Trial.state.in_(("waiting", "running"))))
                or 0
            )
        return OwnFigures([
            OwnFigure("up_seconds", time.monotonic() - self._began, "s", "since it was started"),
            OwnFigure("memory_bytes", float(memory.rss), "B", "memory of the application's process"),
            OwnFigure("threads", float(self._process.num_threads()), "", "threads"),
            OwnFigure("servers_recorded", float(work.recorders), "", "servers that are recorded"),
            OwnFigure("looks", float(work.ticks), "", "looks at servers that were begun", True),
            OwnFigure("looks_late", float(work.late), "", "looks left out because the one before had not ended", True),
            OwnFigure("batches_waiting", float(work.waiting), "", "looks that are going on now"),
            OwnFigure("writes", float(health.writes), "", "transactions stored", True),
            OwnFigure("writes_failed", float(health.failures), "", "transactions that could not be stored", True),
            OwnFigure("write_seconds", health.write_s, "s", "time of all transactions that were stored", True),
            OwnFigure("store_bytes", float(used), "B", "size of the store"),
            OwnFigure("disk_free_bytes", float(disk.free), "B", "free disk where the store is"),
            OwnFigure("imports_running", float(imports), "", "imports that run or wait"),
            OwnFigure("trials_running", float(trials), "", "trials that run or wait"),
            OwnFigure("workers", float(self.workers()), "", "processes for trials"),
        ])  # fmt: skip

    def readiness(self) -> Readiness:
        """What is looked at to say whether it does its work; a store that cannot even be read is what is wrong then."""
        try:
            checks = self._checks()
        except (DatabaseError, OSError) as error:
            checks = [Check("store", "wrong", f"the store cannot be read: {getattr(error, 'orig', error)}")]
        wrong = [check for check in checks if check.state == "wrong"]
        doubtful = [check for check in checks if check.state == "doubtful"]
        first = next(iter([*wrong, *doubtful]), None)
        return Readiness(not wrong, health_sentence(first), checks)

    def _checks(self) -> list[Check]:
        store = self.reader.store
        disk = shutil.disk_usage(self.settings.data)
        with store.read() as session:
            secrets = list(session.scalars(select(Account.secret)))
            damaged = session.scalar(select(func.count()).select_from(DamagedSegment)) or 0
            schedule = schedule_of(session)
        there = backups_in(self.settings.backup_folder)
        work = self.work() if self.work is not None else None
        failure = store.health.failure
        return [
            store_check(failure.why if failure else "", failure.since_us if failure else 0),
            disk_check(disk.free, disk.total),
            recording_check(time.monotonic() - work.ticked_s if work is not None and work.recorders else None),
            keyring_check(len(secrets), self._unreadable(secrets)),
            damage_check(damaged),
            backups_check(schedule.every_hours, there[0].made_us if there else None, self.reader.clock()),
        ]  # fmt: skip

    def _unreadable(self, secrets: Sequence[bytes]) -> str:
        """Why a secret of the keyring cannot be read; empty when all can."""
        keyring = Keyring(self.settings.data)
        try:
            for secret in secrets:
                keyring.open(secret)
        except KeyringError as error:
            return error.detail
        return ""
