"""Whose planner facts a command was given: a server of the fleet, or one of a bundle."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from hardy_gauge.capture.twin_facts import facts_of_bundle, facts_of_server
from hardy_gauge.cli.audit import as_operator
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.errors import InvalidInput
from hardy_gauge.probes.protocol import PlannerFacts
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store


def facts_given(data: Path, server: str, bundle: Path | None, act: str) -> tuple[str, PlannerFacts]:
    """The server's name, and what its planner knows; a GaugeError names what is missing."""
    if bundle is not None:
        if not bundle.is_file():
            raise InvalidInput(f"bundle: {bundle}: there is no such file", "bundle")
        return facts_of_bundle(bundle, server)
    if not server:
        raise InvalidInput("server: a server's name, or a bundle, says whose it is", "server")
    with closing(Store(AppSettings(data=data).store_path)) as store, as_operator(act, server):
        return server, facts_of_server(store, server, clock_us())
