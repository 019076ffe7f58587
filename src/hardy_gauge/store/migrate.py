"""Bring a store's tables to this version's shape (Alembic, scripts beside this file)."""

from __future__ import annotations

import time
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine

from hardy_gauge.errors import GaugeError
from hardy_gauge.store.backup import copy_store

KEPT_COPIES = 2


def _copy_before(engine: Engine, path: Path, made: Config) -> None:
    with engine.connect() as connection:
        before = MigrationContext.configure(connection).get_current_revision()
    scripts = ScriptDirectory.from_config(made)
    if before is None or before == scripts.get_current_head():
        return
    if before not in {script.revision for script in scripts.walk_revisions()}:
        raise NewerStore(
            "data: the store was made by a newer version of Hardy Gauge; run that version or a newer one", "data"
        )
    for old in sorted(path.parent.glob(f"{path.name}.before-*"))[: -KEPT_COPIES + 1 or None]:
        old.unlink(missing_ok=True)
    copy_store(path, path.with_name(f"{path.name}.before-{before}-{time.time_ns() // 10**9}"))


class NewerStore(GaugeError):
    """This version does not know the shape of the store's tables."""

    title = "The store is of a newer version"


def config() -> Config:
    """Alembic's configuration, made here so that no file of paths is needed."""
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return made


def upgrade(engine: Engine, path: Path) -> None:
    """Run every migration the store has not had yet, in one transaction. A copy of the store as it was is made before."""
    made = config()
    _copy_before(engine, path, made)
    with engine.begin() as connection:
        made.attributes["connection"] = connection
        command.upgrade(made, "head")
