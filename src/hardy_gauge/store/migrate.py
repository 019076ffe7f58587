"""Bring a store's tables to this version's shape (Alembic, scripts beside this file)."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine


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
        command.upgrade(made, "head")
