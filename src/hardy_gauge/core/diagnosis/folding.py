"""One cause seen on several servers is told once: what a cluster has in common, what one release brought, what lies around servers."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.time.span import MINUTE_US

OF_ONE_SERVER = ("server", "session")
# a storage, a network: what begins on several servers at one time began in one place
AROUND = ("volume_shared", "data_volume_slow", "log_volume_slow", "network_slow")
AT_ONCE_US = 3 * MINUTE_US


def is_one(a: Finding, a_cluster: str, a_since_us: int, b: Finding, b_cluster: str, b_since_us: int) -> bool:
    """Whether the findings of two servers are of one trouble."""
    if a.cause != b.cause:
        return False
    if a.cause in AROUND and abs(a_since_us - b_since_us) <= AT_ONCE_US:
        return True
    if a.subject.kind in OF_ONE_SERVER or a.subject.name != b.subject.name:
        return False
    return a_cluster == b_cluster or a.subject.kind == "statement"
