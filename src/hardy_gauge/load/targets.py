"""Open the place where a trial runs; everything about it is checked before the first run."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlsplit

from sqlalchemy import select

from hardy_gauge.capture.access import APPLICATION, AccountUser, probe_of
from hardy_gauge.capture.twin_facts import facts_of_bundle, facts_of_server
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.load.design import BadTrial, TrialDesign
from hardy_gauge.load.kept_values import with_kept_values
from hardy_gauge.load.parts import ArmSpec, MadePostgres
from hardy_gauge.load.play_target import PlayTarget
from hardy_gauge.load.postgres.access import is_postgresql
from hardy_gauge.load.postgres.made import PostgresTarget
from hardy_gauge.load.postgres.server import ServerTarget
from hardy_gauge.load.sqlite_target import SqliteTarget
from hardy_gauge.load.trial import RunTarget, StagedTarget
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import PlannerFacts, ProbeError, Unsupported
from hardy_gauge.probes.sqlpack.recognise import recognised
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import LAB, is_lab

EXPECTED = (
    "Right would be target.address: http://HOST:PORT/servers/NAME of a probe that can play workloads, target.server: a server of the fleet "
    "that can or is a PostgreSQL labelled lab, target.file: a SQLite file, or target.postgresql: {sample: library}, a PostgreSQL made for the trial."
)

EDGE = "an end of the ranges"
OF_DATABASES = ("account", "player", "database", "restart", "keep_writes")


@dataclass(frozen=True)
class Fleet:
    """Where servers of the fleet are found, who asks for the trial, and its number where it is filed."""

    store: Store
    user: AccountUser = APPLICATION
    trial_id: int | None = None


def open_target(design: TrialDesign, fleet: Fleet | None) -> RunTarget:
    """The target of a design; ``fleet`` where one is recorded.

    BadTrial when the target cannot be had, or an arm, a step or a setting that is searched does not fit it.
    """
    target = _opened(design, fleet)
    try:
        if design.kind == "steps":
            if not isinstance(target, StagedTarget):
                raise BadTrial(
                    "target: steps are made while the load runs, which target.postgresql or a PostgreSQL of the fleet can do",
                    "target",
                )
            target.check_steps(design.steps)
        if design.tuner is not None:
            for end in (0.0, 1.0):
                target.admit(ArmSpec(name=EDGE, settings={one.setting: one.value(end) for one in design.tuner.space()}))
    except BaseException:
        target.close()
        raise
    return target


def _opened(design: TrialDesign, fleet: Fleet | None) -> RunTarget:
    target = design.target
    if any(one.values_of for one in design.workload.statements):
        takes = target.postgresql is not None or (target.server is not None and _is_postgresql(target.server, fleet))
        workload = with_kept_values(design.workload, fleet.store if fleet else None, takes)
        design = design.model_copy(update={"workload": workload})
    if target.server is not None:
        return _on_server(design, fleet)
    if target.address is not None:
        return PlayTarget(_probe_at(target.address), design.workload, design.arms, design.run.cold)
    if target.postgresql is not None:
        facts = facts_for(target.postgresql, fleet)
        return PostgresTarget(target.postgresql, design.workload, design.arms, design.run.cold, facts)
    if design.run.cold:
        raise BadTrial("run.cold: the system's caches of this machine cannot be emptied for a SQLite trial", "run.cold")
    return SqliteTarget(target, design.workload, design.arms)


def _is_postgresql(name: str, fleet: Fleet | None) -> bool:
    if fleet is None:
        return True  # the server that is not there is said by what opens it
    with fleet.store.read() as session:
        server = session.scalar(select(Server).where(Server.name == name))
        return server is not None and is_postgresql(server)


def facts_for(place: MadePostgres, fleet: Fleet | None) -> PlannerFacts | None:
    """Of the server whose objects and statistics it is made from; None where it is filled otherwise."""
    field = "target.postgresql.bundle" if place.bundle else "target.postgresql.server"
    try:
        if place.bundle is not None:
            return facts_of_bundle(place.bundle, place.server or "")[1]
        if place.server is None:
            return None
        if fleet is None:
            raise BadTrial(f"{field}: {place.server} is not a server of the recorded fleet", field)
        return facts_of_server(fleet.store, place.server, clock_us())
    except (InvalidInput, NotFound, ProbeError) as error:
        if isinstance(error, BadTrial):
            raise
        raise BadTrial(f"{field}: {error}", field) from error


def _on_server(design: TrialDesign, fleet: Fleet | None) -> RunTarget:
    target = design.target
    unknown = BadTrial(f"target.server: {target.server} is not a server of the recorded fleet", "target.server")
    if fleet is None:
        raise unknown
    with fleet.store.read() as session:
        server = session.scalar(select(Server).where(Server.name == target.server))
        if server is None:
            raise unknown
        check_is_for_trials(design, server)
        number, changed = server.id, is_postgresql(server)
    if changed:
        return ServerTarget(fleet.store, design, fleet.user, fleet.trial_id)
    for name in OF_DATABASES:
        if getattr(target, name):
            detail = f"target.{name}: it is for a PostgreSQL of the fleet, and {target.server} plays workloads itself"
            raise BadTrial(detail, f"target.{name}")
    probe = probe_of(fleet.store, number)
    if not isinstance(probe, HttpProbe):
        raise BadTrial(
            f"target.server: {target.server} can neither play workloads nor be changed for a trial", "target.server"
        )
    return PlayTarget(probe, design.workload, design.arms, design.run.cold)


def check_is_for_trials(design: TrialDesign, server: Server) -> None:
    """BadTrial for a server that is not labelled for trials, unless the person wrote its name once more; a search is never made there."""
    target = design.target
    if is_lab(server):
        return
    if design.kind == "tuner":
        detail = f"target.server: {server.name} is not labelled {LAB}, and settings are searched on such servers only"
        raise BadTrial(detail, "target.server")
    if target.confirm != server.name:
        detail = (
            f"target.confirm: {server.name} is not labelled {LAB}. Give it that label, or write its name here "
            f"(confirm: {server.name}) to try on it all the same"
        )
        raise BadTrial(detail, "target.confirm")


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
