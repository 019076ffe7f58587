"""The wait map of an engine, from the table beside this file; an engine without one has everything in *other*."""

from __future__ import annotations

from functools import cache
from importlib import resources

from hardy_gauge.core.activity.wait_families import WaitMap
from hardy_gauge.yaml_text import read_yaml


@cache
def wait_map(engine: str) -> WaitMap:
    """The wait families of an engine's events; an engine without a file has none."""
    source = resources.files("hardy_gauge.probes") / "wait_maps" / f"{engine}.yaml"
    if not source.is_file():
        return WaitMap({})
    return WaitMap(read_yaml(source.read_text(encoding="utf-8")))
