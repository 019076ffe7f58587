"""What recording costs, and its limits."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from hardy_gauge.api.current import CurrentReader, CurrentSettings
from hardy_gauge.capture.settings_file import COMMAND, as_yaml
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.storage import StorageUse, storage_use
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.backup_schedule import (
    BackupOut,
    BackupSchedule,
    back_up_now,
    backups_in,
    schedule_of,
    set_schedule,
)
from hardy_gauge.store.limits import Limits, set_limits

router = APIRouter(tags=["storage"], prefix="/storage")


class Storage(BaseModel):
    """The price of recording, and the file that sets the same limits."""

    use: StorageUse
    yaml: str
    command: str
    schedule: BackupSchedule
    backups: list[BackupOut]
    backup_folder: str
    encrypted: bool


def _storage(reader: Reader, settings: AppSettings) -> Storage:
    use = storage_use(reader)
    with reader.store.read() as session:
        schedule = schedule_of(session)
    return Storage(
        use=use, yaml=as_yaml(limits=use.limits), command=COMMAND, schedule=schedule,
        backups=backups_in(settings.backup_folder), backup_folder=str(settings.backup_folder),
        encrypted=bool(settings.backup_passphrase.get_secret_value()),
    )  # fmt: skip


@router.get("")
def storage(reader: CurrentReader, settings: CurrentSettings) -> Storage:
    return _storage(reader, settings)


@router.put("/limits")
def limits(request: Limits, reader: CurrentReader, settings: CurrentSettings, http: Request) -> Storage:
    """Ages and size; what is past them goes at the next clean-up, within ten minutes."""
    with reader.store.write() as session:
        set_limits(session, request)
    http.app.state.poke()
    return _storage(reader, settings)


@router.put("/backups")
def backups(request: BackupSchedule, reader: CurrentReader, settings: CurrentSettings) -> Storage:
    """How often the store is backed up, and how many backups are kept."""
    with reader.store.write() as session:
        set_schedule(session, request)
    return _storage(reader, settings)


@router.post("/backups", status_code=201)
def back_up(reader: CurrentReader, settings: CurrentSettings) -> BackupOut:
    """Make a backup now; it is checked before it is kept."""
    made = back_up_now(reader.store, settings, reader.clock())
    reader.store.note("backup", name=made.name)
    return made
