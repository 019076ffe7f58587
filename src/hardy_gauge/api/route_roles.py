"""Which role every route needs, for which a role for a part of the fleet counts, and for which people are asked again who they are."""

from __future__ import annotations

import re

from hardy_gauge.store.roles import Role

READS = ("GET", "HEAD", "OPTIONS")
# method, path and the least role; the first that fits counts. None: nobody has to be signed in.
RULES: tuple[tuple[str, str, Role | None], ...] = (
    ("*", r"/api/(health|ready|me|first|sign-in|sign-in/demo|sign-in/provider(/return)?|sign-out)", None),
    ("*", r"/api/(people|audit)(/.*)?", "administrator"),
    ("*", r"/api/tokens(/.*)?", "viewer"),
    ("*", r"/api/me/(password|confirm|sign-ins(/.*)?|second-factor(/new)?)", "viewer"),
    (
        "POST",
        r"/api/(plans/(read|compare)|capture-rules/preview|capture-rules/missed|connections/read|connections/[^/]+/reports)",
        "viewer",
    ),
    ("READ", r"/api/accounts", "engineer"),
    ("*", r"/api/accounts(/.*)?", "administrator"),
    ("PUT", r"/api/storage/limits", "administrator"),
    ("POST", r"/api/connections/nearby", "administrator"),
    ("*", r"/api/storage/backups", "administrator"),
    ("READ", r"/.*", "viewer"),
    ("*", r"/.*", "engineer"),
)
# what programs send all the time is no act; what carries data out is one, though it changes nothing
NO_ACT = re.compile(r"/api/otlp/v1/\w+")
EXPORTS = re.compile(
    r"/api/(bundles/export|audit/export|snapshots/difference/csv|imports/\d+/rejected|reports/\d+/html)"
)
# asked again who they are, unless the password was given a while ago; a token says so itself
CONFIRMED = re.compile(r"/api/((people|accounts)(/.*)?|tokens|me/second-factor)")
# what somebody may do who still has to set up the second factor that is required of them
WITHOUT_FACTOR = re.compile(r"/api/me/.*")
# where a role for a cluster or a label counts: what is asked or changed is of servers, and other servers are left out
FOR_PARTS: tuple[tuple[str, str], ...] = (
    (
        "READ",
        r"/api/(fleet|tape|focus|indexes|recurrences|clusters/[^/]+|ledger|log|now|holdups|compare|strips(/against)?|statements(/[^/]+)?|findings|find|connections)",
    ),
    (
        "READ",
        r"/api/servers/[^/]+(/plans/[^/]+(/against/[^/]+)?|/pins|/objects|/tables/[^/]+|/figures|/host|/sizing|/index-set)?",
    ),
    ("POST", r"/api/servers/[^/]+/(explain|cache-curve|index-set(/proof)?|texts(/proof)?)"),
    ("POST", r"/api/servers/[^/]+/sessions/[^/]+/end"),
    ("POST", r"/api/servers/[^/]+/statements/[^/]+/(plan|pin|selectivity)"),
    ("*", r"/api/changes(/[^/]+)?"),
    ("*", r"/api/figures(/[^/]+)?"),
    ("PUT", r"/api/recurrences/[^/]+/[^/]+"),
    ("*", r"/api/findings/(past|[^/]+/(note|aside|improvement))"),
    ("PATCH", r"/api/connections/[^/]+"),
    ("POST", r"/api/connections/(labels|retire|[^/]+/reports)"),
)
# of who asks themselves, and what is of no server
OWN = r"/api/(tokens(/.*)?|me/.*|plans/(read|compare)|connections/read|handbook(/.*)?)"


def _fits(wanted: str, pattern: str, method: str, path: str) -> bool:
    right = wanted in ("*", method) or (wanted == "READ" and method in READS)
    return right and re.fullmatch(pattern, path) is not None


def least_role(method: str, path: str) -> Role | None:
    """The least role that may do this; None when nobody needs to be signed in."""
    for wanted, pattern, role in RULES:
        if _fits(wanted, pattern, method, path):
            return role
    return "administrator"


def counts_for_parts(method: str, path: str, own: bool = False) -> bool:
    """Whether a role for a part of the fleet counts there; ``own``: or it is of who asks themselves."""
    parts = any(_fits(wanted, pattern, method, path) for wanted, pattern in FOR_PARTS)
    return parts or (own and re.fullmatch(OWN, path) is not None)
