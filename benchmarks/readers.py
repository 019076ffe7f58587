"""One reader and many of the real demo, while its servers are recorded: every screen's questions, and browsers that follow the clock."""

from __future__ import annotations

import asyncio
import random
import time
from collections.abc import Mapping

import httpx
import numpy as np
from tests.faults.test_soak import Visits, own_figures

from benchmarks.goals import Goals, at_most

PATHS = [
    "fleet",
    "tape?scope=desk-a",
    "ledger?scope=desk-a",
    "statements?scope=desk-a",
    "servers/desk-a",
    "findings?scope=desk-a",
    "now",
    "now?scope=desk-a",
    "holdups?focus=PT6H",
    "strips?scope=desk-a",
    "ledger?by=service&against=wait_family&through=server",
    "ledger?scope=desk-a&by=kind&against=user&measure=rows_examined",
    "compare?scope=desk-a",
    "compare",
    "changes?focus=PT24H",
    "clusters/desk",
    "servers/desk-a/host",
    "log",
    "recurrences",
    "figures",
]
NAMES = ("active_sessions", "response_s", "calls_per_s", "pages_read_per_s", "log_bytes_per_s")
SERVERS = ("desk-a", "desk-b", "catalog-a", "reserve-a")
LONG = "strips?focus=P35D&" + "&".join(f"band=figure:{server}:{name}" for server in SERVERS for name in NAMES)
# between two questions, so that most of them are not answered from the same second
PAUSE_S = 0.4
ROUNDS = 15
BROWSERS_S = 60.0
SCREENS = (
    ["/api/fleet", "/api/tape"],
    ["/api/servers/desk-a", "/api/tape?scope=desk-a"],
    ["/api/ledger?scope=desk-a", "/api/tape?scope=desk-a"],
)
GOALS: Goals = {
    "p95_s of 10 browsers": at_most(0.3), "p95_s of 50 browsers": at_most(1.0), "p95_s *": at_most(0.1), "looks late with * browsers": at_most(0),
}  # fmt: skip


def one_reader(address: str) -> dict[str, float]:
    found: dict[str, float] = {}
    everything: list[float] = []
    with httpx.Client(base_url=f"{address}/api/", trust_env=False, timeout=30) as client:
        client.post("sign-in/demo")
        for path in PATHS:
            times = []
            for _ in range(ROUNDS):
                time.sleep(PAUSE_S)
                began = time.perf_counter()
                client.get(path).raise_for_status()
                times.append(time.perf_counter() - began)
            everything += times
            found[f"p95_s {path[:60]}"] = float(np.quantile(times, 0.95))
        began = time.perf_counter()
        client.get(LONG).raise_for_status()
        found["first_s 20 strips of 35 days"] = time.perf_counter() - began
    return {"p95_s all": float(np.quantile(everything, 0.95)), **found}


def many(address: str, browsers: int) -> dict[str, float]:
    """Each looks at one of the screens and then at another, and asks every ten seconds while it does."""
    with httpx.Client(base_url=address, trust_env=False, timeout=60) as client:
        client.post("/api/sign-in/demo").raise_for_status()
        headers = {"cookie": f"hardy_gauge={client.cookies['hardy_gauge']}"}
        visits, before = Visits(SCREENS), own_figures(client)
        asyncio.run(_look(visits, address, headers, browsers))
        after = own_figures(client)
    wrong = {status: count for status, count in visits.answers.items() if status not in (200, 304)}
    assert not wrong, wrong
    return {
        f"p95_s of {browsers} browsers": float(np.quantile(visits.seconds, 0.95)),
        f"most_s of {browsers} browsers": max(visits.seconds),
        f"looks late with {browsers} browsers": _more(before, after, "hardy_gauge_own_looks_late"),
        f"looks with {browsers} browsers": _more(before, after, "hardy_gauge_own_looks"),
    }


async def _look(visits: Visits, address: str, headers: dict[str, str], browsers: int) -> None:
    until = time.monotonic() + BROWSERS_S
    await asyncio.gather(*(visits.browser(address, headers, random.Random(n), until) for n in range(browsers)))


def _more(before: Mapping[str, float], after: Mapping[str, float], figure: str) -> float:
    return after[figure] - before[figure]
