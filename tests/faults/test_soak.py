"""Many browsers at once while 22 servers are recorded: no error, no look left out, memory that stays.

In small here; ``make soak`` has 50 browsers for an hour. SOAK_S and BROWSERS in the environment say how long and how many.
"""

from __future__ import annotations

import asyncio
import os
import random
import time
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import httpx
import numpy as np
import pytest
from prometheus_client.parser import text_string_to_metric_families

from tests.conftest import signed_in
from tests.patience import PATIENT_S

SOAK_S = float(os.environ.get("SOAK_S", "40"))
LONG_S = 600
BROWSERS = int(os.environ.get("BROWSERS", "10"))
LIVE_S = 10.0  # a screen that follows the clock asks again after this
SCREENS = (
    ["/api/fleet", "/api/tape"],
    ["/api/fleet", "/api/tape"],
    ["/api/servers/desk-a", "/api/tape?scope=desk-a"],
    ["/api/servers/desk-a/objects", "/api/tape?scope=desk-a"],
    ["/api/servers/desk-a/figures", "/api/tape?scope=desk-a"],
    ["/api/ledger?scope=desk-a", "/api/tape?scope=desk-a"],
    ["/api/statements?scope=fleet", "/api/tape"],
    ["/api/findings?scope=fleet"],
    ["/api/storage"],
    ["/api/connections"],
)


class Visits:
    """What the browsers met: answers by status, and how long each took."""

    def __init__(self, screens: Sequence[Sequence[str]] = SCREENS) -> None:
        self.screens, self.answers, self.seconds = screens, Counter[int](), list[float]()

    async def browser(self, address: str, headers: dict[str, str], chance: random.Random, until: float) -> None:
        """Somebody who looks at one screen after the other; each is asked again while it is looked at."""
        etags: dict[str, str] = {}
        async with httpx.AsyncClient(
            base_url=address,
            headers=headers,
            trust_env=False,
            timeout=60,
            limits=httpx.Limits(keepalive_expiry=2 * LIVE_S),
        ) as client:
            await asyncio.sleep(chance.uniform(0, LIVE_S))
            while time.monotonic() < until:
                screen = chance.choice(self.screens)
                for _ in range(chance.randint(1, 3)):
                    await asyncio.gather(*(self.ask(client, path, etags) for path in screen))
                    await asyncio.sleep(LIVE_S if time.monotonic() + LIVE_S < until else 0.5)

    async def ask(self, client: httpx.AsyncClient, path: str, etags: dict[str, str]) -> None:
        began = time.monotonic()
        answer = await client.get(path, headers={"if-none-match": etags.get(path, "")})
        self.seconds.append(time.monotonic() - began)
        self.answers[answer.status_code] += 1
        etags[path] = answer.headers.get("etag", "")


def own_figures(client: httpx.Client) -> dict[str, float]:
    """What the application says of itself."""
    families = text_string_to_metric_families(client.get("/metrics").text)
    return {s.name.removesuffix("_total"): s.value for f in families for s in f.samples if not s.labels}


@pytest.mark.timeout(SOAK_S + 600)
def test_many_browsers_while_servers_are_recorded(demo: str) -> None:
    with httpx.Client(base_url=demo, trust_env=False, timeout=PATIENT_S) as client:
        signed_in(client)
        headers = {"cookie": f"hardy_gauge={client.cookies['hardy_gauge']}"}
        visits, before, memory = Visits(), own_figures(client), list[float]()

        async def all_of_them() -> None:
            until = time.monotonic() + SOAK_S
            people = [visits.browser(demo, headers, random.Random(n), until) for n in range(BROWSERS)]
            work = asyncio.gather(*people)
            while not work.done():
                await asyncio.sleep(min(10.0, SOAK_S / 20))
                memory.append((await asyncio.to_thread(own_figures, client))["hardy_gauge_own_memory_bytes"])
            await work

        with ThreadPoolExecutor(1) as pool:  # the browser of other tests has an event loop in this thread
            pool.submit(lambda: asyncio.run(all_of_them())).result()
        after = own_figures(client)
    quarter = len(memory) // 4
    early, late = np.median(memory[quarter : 2 * quarter]), np.median(memory[-quarter:])
    quantiles = np.quantile(visits.seconds, [0.5, 0.95, 1.0]).round(3)
    print(f"{BROWSERS} browsers, {SOAK_S:.0f} s: {dict(visits.answers)}, median, p95, most: {quantiles} s; memory {early:,.0f} then {late:,.0f}")  # fmt: skip
    assert set(visits.answers) <= {200, 304} and sum(visits.answers.values()) >= BROWSERS
    ticks = after["hardy_gauge_own_looks"] - before["hardy_gauge_own_looks"]
    late = after["hardy_gauge_own_looks_late"] - before["hardy_gauge_own_looks_late"]
    few = 0.05 * ticks if SOAK_S < LONG_S else 0  # other tests run beside the short one
    assert ticks >= SOAK_S * 0.9 and late <= few, (ticks, late)
    assert late < early * 1.1 + 60e6, "memory stays"
