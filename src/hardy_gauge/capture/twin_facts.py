"""The planner facts from which a twin is made: asked of a server, or as they were recorded."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from hardy_gauge.capture.access import probe_of
from hardy_gauge.capture.bundle_parts import BadBundle, BundleParts
from hardy_gauge.capture.bundles import checked_manifest
from hardy_gauge.capture.rules import rule_for
from hardy_gauge.capture.targets import rules_of
from hardy_gauge.errors import InvalidInput, NotFound, Unsupported
from hardy_gauge.probes.protocol import KnowsPlanner, PlannerFacts
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Snapshot
from hardy_gauge.store.servers import find_server, is_behind_address

NOT_RECORDED = (
    "what its planner knows was not recorded; it is read of servers that are reached by PostgreSQL's own protocol"
)


def facts_of_server(store: Store, name: str, now_us: int) -> PlannerFacts:
    """Asked of the server now, with the values inside statistics where its capture rule keeps literals; as it was recorded where there
    is no server to ask. NotFound, InvalidInput where it was not recorded, ProbeError where it does not answer.
    """
    with store.read() as session:
        server = find_server(session, name)
        rule = rule_for(rules_of(session), server.name, server.cluster.name, server.labels, now_us)
        kept, behind, number = rule.literals == "kept", is_behind_address(server.address), server.id
        row = session.get(Snapshot, (number, "planner"))
    if not behind:
        if row is None:
            raise InvalidInput(f"server: of {name} {NOT_RECORDED}", "server")
        return PlannerFacts.model_validate(row.body)
    probe = probe_of(store, number)
    try:
        if not isinstance(probe, KnowsPlanner):
            raise Unsupported(
                f"{name} is not reached by PostgreSQL's own protocol, so no twin can be made of it", "server"
            )
        return probe.planner_facts(kept)
    finally:
        probe.close()


def facts_of_bundle(path: Path, server: str = "") -> tuple[str, PlannerFacts]:
    """Of the server of that name in a bundle's file, or of its only one that has facts: its name, and they. InvalidInput where there
    are none, or several.
    """
    with BundleParts(path) as parts:
        manifest = checked_manifest(parts.document("manifest.json"))
        found = {
            described.name: document["body"]
            for number, described in enumerate(manifest.servers)
            if (document := parts.document(f"{number}/planner.json")) is not None
        }
    if server and server not in {one.name for one in manifest.servers}:
        raise NotFound(
            f"server: the bundle holds no server {server}, but {', '.join(one.name for one in manifest.servers)}",
            "server",
        )
    if not found or (server and server not in found):
        raise InvalidInput(f"bundle: of {server or 'its servers'} {NOT_RECORDED}", "bundle")
    if len(found) > 1 and not server:
        raise InvalidInput(f"server: the bundle holds {', '.join(sorted(found))}; name one", "server")
    name = server or next(iter(found))
    try:
        return name, PlannerFacts.model_validate(found[name])
    except ValidationError as error:
        raise BadBundle(f"{name}: what its planner knows is not as expected: {error.errors()[0]['msg']}") from error
