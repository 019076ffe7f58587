"""The smallest scenario that ships, changed for a test."""

from __future__ import annotations

import copy
from typing import Any

import polars as pl
import yaml

from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import shipped

NOW = 1_795_521_600_000_000  # a Tuesday noon
PLAIN = yaml.safe_load(shipped("bookshelf").read_text(encoding="utf-8")) | {"troubles": []}


def document(**more: Any) -> dict[str, Any]:
    """The scenario as a document; keys are joined by two underscores, as ``host__cores``."""
    made: dict[str, Any] = copy.deepcopy(PLAIN)
    cluster, database = made["clusters"][0], made["databases"]["shelf"]
    for key, value in more.items():
        first, _, rest = key.partition("__")
        if first == "host":
            cluster["host"][rest] = value
        elif first == "volume":
            cluster["host"]["data_volume"][rest] = value
        elif first in ("cluster", "database"):
            (cluster if first == "cluster" else database)[rest] = value
        elif first == "statement":
            name, _, field = rest.partition("__")
            database["statements"][name][field] = value
        else:
            made[key] = value
    return made


def history(**more: Any) -> History:
    """The history of its one server, from NOW on as from its first start."""
    return Fleet(Scenario.model_validate(document(**more)), NOW).histories["shelf-a"]


def summed(frame: pl.DataFrame, by: str) -> pl.DataFrame:
    """Sums of all figures by a column, in its order."""
    return frame.group_by(by).agg(pl.col(pl.Float64).sum()).sort(by)
