"""Backups on a schedule, with a number of them kept."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pydantic import Field
from sqlalchemy.orm import Session

from hardy_gauge.core.time.span import HOUR_US
from hardy_gauge.errors import GaugeError
from hardy_gauge.input_document import InputDocument
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.backup import back_up, keep_last, made_before, scheduled
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Preference

log = logging.getLogger(__name__)
NAME = "backups"
LOOK_S = 60.0


class BackupSchedule(InputDocument):
    """How often a backup is made, 0 for never, and how many are kept."""

    every_hours: int = Field(0, ge=0, le=24 * 31)
    keep: int = Field(7, ge=1, le=1000)


@dataclass(frozen=True)
class BackupOut:
    """A backup that is there."""

    name: str
    made_us: int
    size: int


def schedule_of(session: Session) -> BackupSchedule:
    """What is set; no backups by default."""
    row = session.get(Preference, NAME)
    return BackupSchedule() if row is None else BackupSchedule.model_validate(row.value)


def set_schedule(session: Session, schedule: BackupSchedule) -> None:
    """Follow this one from now on."""
    session.merge(Preference(name=NAME, value=schedule.model_dump()))


def backups_in(folder: Path) -> list[BackupOut]:
    """The latest first."""
    found = [(path, path.stat()) for path in made_before(folder)]
    return [BackupOut(path.name, int(stat.st_mtime * 1e6), stat.st_size) for path, stat in reversed(found)]


def back_up_now(store: Store, settings: AppSettings, now_us: int) -> BackupOut:
    """Make one, and keep as many as the schedule says."""
    with store.read() as session:
        keep = schedule_of(session).keep
    to = scheduled(settings.backup_folder, now_us)
    back_up(store.path, to, settings.backup_passphrase.get_secret_value())
    keep_last(settings.backup_folder, keep)
    return BackupOut(to.name, now_us, to.stat().st_size)


class BackupWorker:
    """Makes the backups that are due, in a thread of its own until ``stop``."""

    def __init__(self, store: Store, settings: AppSettings, clock: Callable[[], int]) -> None:
        self.store, self.settings, self.clock = store, settings, clock
        self._stop = threading.Event()

    def start(self) -> None:
        """Begin to look every minute; it can begin again after ``stop``."""
        self._stop.clear()
        threading.Thread(target=self._run, name="backups", daemon=True).start()

    def stop(self) -> None:
        """End; a backup that is being made is not waited for, and leaves nothing."""
        self._stop.set()

    def _run(self) -> None:
        while not self._stop.wait(LOOK_S):
            try:
                run_due(self.store, self.settings, self.clock())
            except Exception:
                log.exception("the backup that was due could not be made")


def run_due(store: Store, settings: AppSettings, now_us: int) -> BackupOut | None:
    """Make one when it is time; what goes wrong is said in the log, and tried again the next time."""
    with store.read() as session:
        schedule = schedule_of(session)
    there = backups_in(settings.backup_folder)
    if not schedule.every_hours or (there and now_us - there[0].made_us < schedule.every_hours * HOUR_US):
        return None
    try:
        made = back_up_now(store, settings, now_us)
    except (GaugeError, OSError) as error:
        log.error("the backup that was due could not be made: %s", error)
        return None
    log.info("backup %s made, %s bytes", made.name, made.size)
    return made
