"""A server of the store by its name, and how far its recording has come."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.core.narrative.capture import CaptureFacts, CaptureWord, capture_words
from hardy_gauge.errors import NotAllowed, NotFound
from hardy_gauge.store.models import BUNDLE, IMPORT, Cluster, Server
from hardy_gauge.store.reach import WHOLE_FLEET, reach
from hardy_gauge.store.write_health import WriteFailure

LAB = "lab"  # the cluster, or the label, of servers that trials may change


def is_lab(server: Server) -> bool:
    """Whether trials may change it."""
    return server.cluster.name == LAB or LAB in server.labels


def is_behind_address(address: str) -> bool:
    """Whether there is a server to ask: not where it came in a bundle or was imported from files."""
    return not address.startswith((BUNDLE, IMPORT))


def find_server(session: Session, name: str) -> Server:
    """A server by name with its cluster; NotFound names the servers there are."""
    server = session.scalar(select(Server).where(Server.name == name).options(joinedload(Server.cluster)))
    if server is None:
        found = reach()
        hidden = select(Server.id).where(Server.name == name).execution_options(**WHOLE_FLEET)
        if found is not None and (number := session.scalar(hidden)) is not None and found.is_seen(number):
            raise NotAllowed(f"server: this needs the role {found.least} for {name}", "server")
        known = ", ".join(session.scalars(select(Server.name).order_by(Server.name)))
        raise NotFound(f"no server '{name}' in the fleet; there are: {known or 'none'}", "server", "Unknown server")
    return server


def capture_state(server: Server, now_us: int, failure: WriteFailure | None = None) -> tuple[CaptureWord, str]:
    """What is done about a server, and in words; ``failure`` is the store's, while it cannot be written."""
    state = server.capture
    facts = CaptureFacts(
        "bundle" if server.address.startswith(BUNDLE) else "import" if server.address.startswith(IMPORT) else "probe",
        state.doing, state.why, state.error, state.recorded_until_us, state.seen_us, server.retired_us,
        failure.why if failure else "", failure.since_us if failure else 0,
    )  # fmt: skip
    return capture_words(facts, now_us)


def groups_in(session: Session) -> tuple[list[str], list[str]]:
    """Names of all clusters, and all labels that a server carries."""
    clusters = list(session.scalars(select(Cluster.name).order_by(Cluster.name)))
    return clusters, sorted({label for labels in session.scalars(select(Server.labels)) for label in labels})
