"""Open the place where a trial runs; everything about it is checked before the first run."""

from __future__ import annotations

from urllib.parse import urlsplit

from sqlalchemy import select

from hardy_gauge.capture.access import probe_of
from hardy_gauge.load.design import BadTrial, Target, TrialDesign
from hardy_gauge.load.play_target import PlayTarget
from hardy_gauge.load.postgres_target import PostgresTarget
from hardy_gauge.load.sqlite_target import SqliteTarget
from hardy_gauge.load.trial import RunTarget
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import Probe, ProbeError, Unsupported
from hardy_gauge.probes.sqlpack.recognise import recognised
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server

EXPECTED = (
    "Right would be target.address: http://HOST:PORT/servers/NAME of a probe that can play workloads, target.server: a "
    "server of the fleet that can, or target.file: a SQLite file."
)


def probe_for(store: Store, target: Target) -> Probe | None:
    """The probe of a target that is a server of the fleet, with its account from the keyring; None when it is none."""
    with store.read() as session:
        server_id = session.scalar(select(Server.id).where(Server.name == target.server)) if target.server else None
    return None if server_id is None else probe_of(store, server_id)


def open_target(design: TrialDesign, probe: Probe | None) -> RunTarget:
    """The target of a design; ``probe`` is the server's when the target is a server of the fleet.

    BadTrial when the target cannot be had or an arm does not fit it.
    """
    target = design.target
    if target.server is not None or target.address is not None:
        if probe is None and target.address is None:
            detail = f"target.server: {target.server} is not a server of the recorded fleet"
            raise BadTrial(detail, "target.server")
        probe = _probe_at(target.address) if target.address else probe
        if not isinstance(probe, HttpProbe):
            raise BadTrial(f"target.server: {target.server} cannot play workloads", "target.server")
        return PlayTarget(probe, design.workload, design.arms, design.run.cold)
    if target.postgresql is not None:
        return PostgresTarget(target.postgresql, design.workload, design.arms, design.run.cold)
    if design.run.cold:
        raise BadTrial("run.cold: the system's caches of this machine cannot be emptied for a SQLite trial", "run.cold")
    return SqliteTarget(target, design.workload, design.arms)


def _probe_at(address: str) -> HttpProbe:
    """A probe that answers at the address of a trial; BadTrial says what the address is instead."""
    engine = recognised(address)
    if engine is not None:
        detail = f"target.address: this is the address of a {engine} database, and trials cannot run on one. {EXPECTED}"
        raise BadTrial(detail, "target.address")
    if urlsplit(address).scheme not in ("http", "https"):
        raise BadTrial(f"target.address: {address} is not the address of a probe. {EXPECTED}", "target.address")
    probe = HttpProbe(address)
    try:
        probe.identity()
    except (ProbeError, Unsupported) as error:
        probe.close()
        raise BadTrial(f"target.address: no probe answers there: {error}. {EXPECTED}", "target.address") from error
    return probe
