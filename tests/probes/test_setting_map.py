"""Neutral names of settings: every one there is on the engine, and is known to the practice engine's first make."""

from __future__ import annotations

import pytest

from hardy_gauge.probes.setting_map import OF_TABLES, setting_map
from practice_fleet.makes import SECOND
from practice_fleet.settings import CATALOGUE
from tests.postgres import running_postgres


def test_the_second_make_is_translated_back() -> None:
    words = setting_map(SECOND.engine)
    for name, said in SECOND.settings.items():
        assert words.neutral(said.name) == name
    assert words.neutral("buffer_cache_bytes") == "" and setting_map("practice").neutral("any") == "any"


IN_PARTS = {"background_write_pages", "background_write_every_s"}


@pytest.mark.parametrize("engine", ["postgresql", "practice-2"])
def test_neutral_names_are_those_of_the_catalogue(engine: str) -> None:
    """Or are of a real engine alone, which sets in two parts what the others set in one."""
    assert {name.removeprefix(OF_TABLES) for name in setting_map(engine).own} <= {*CATALOGUE, *IN_PARTS}


@pytest.mark.postgres
def test_postgresql_has_every_setting_that_is_mapped() -> None:
    with running_postgres() as owner:
        there = {name for (name,) in owner.execute("SELECT name FROM pg_settings").fetchall()}
    own = {name for neutral, name in setting_map("postgresql").own.items() if not neutral.startswith(OF_TABLES)}
    assert own <= there
