"""Bring a store's tables to this version's shape (Alembic, scripts beside this file)."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.util import CommandError
from sqlalchemy import Engine

from hardy_gauge.errors import GaugeError


class NewerStore(GaugeError):
    """This version does not know the shape of the store's tables."""

    title = "The store is of a newer version"


def config() -> Config:
    """Alembic's configuration, made here so that no file of paths is needed."""
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return made


def upgrade(engine: Engine) -> None:
    """Run every migration the store has not had yet, in one transaction."""
    made = config()
    with engine.begin() as connection:
        made.attributes["connection"] = connection
        try:
            command.upgrade(made, "head")
        except CommandError as error:
            raise NewerStore(
                "data: the store was made by a newer version of Hardy Gauge; run that version or a newer one", "data"
            ) from error
