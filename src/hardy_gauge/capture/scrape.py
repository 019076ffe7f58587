"""Figures that stand beside a server as OpenMetrics text: asked for each minute with its counters."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

import httpx

from hardy_gauge.capture.imports.import_batch import MOST_FIGURES, of_figures
from hardy_gauge.capture.imports.openmetrics import figures_of, read_openmetrics
from hardy_gauge.capture.imports.rejected_rows import RejectedRows

DEADLINE_S = 5.0
MOST_BYTES = 16 * 2**20
STALE_US = 300_000_000
ACCEPT = "application/openmetrics-text; version=1.0.0"


class NotScraped(Exception):
    """An address did not give figures, and why."""


@dataclass
class Scraper:
    """The addresses of one server. What counts up is given as its rate since the minute before."""

    addresses: list[str]
    _before: dict[str, dict[str, tuple[int, float]]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._client = httpx.Client(timeout=DEADLINE_S, follow_redirects=False, trust_env=False)

    def close(self) -> None:
        self._client.close()

    def levels(self, now_us: int) -> tuple[dict[str, float], str]:
        """Figures by name, and what was wrong; one address that fails leaves out its own figures only."""
        found: dict[str, float] = {}
        wrong: list[str] = []
        for address in self.addresses:
            rest = RejectedRows()
            try:
                samples = read_openmetrics(self._text(address), rest)
            except NotScraped as error:
                self._before.pop(address, None)
                wrong.append(f"{address}: {error}")
                continue
            fresh = [s for s in samples if s.at_us is None or abs(now_us - s.at_us) < STALE_US]
            figures = figures_of(fresh, now_us, rest, self._before.setdefault(address, {}))
            found |= dict(of_figures(figures, rest).select("name", "value").iter_rows())
            if any(why.startswith("more than") for why in rest.reasons):
                wrong.append(f"{address}: more than {MOST_FIGURES} figures; the others are not recorded")
        return found, "; ".join(wrong)

    def _text(self, address: str) -> str:
        ends = time.monotonic() + DEADLINE_S
        body = b""
        try:
            with self._client.stream("GET", address, headers={"accept": ACCEPT}) as response:
                if response.status_code != 200:
                    raise NotScraped(f"it answers with status {response.status_code}")
                for block in response.iter_bytes():
                    body += block
                    if len(body) > MOST_BYTES:
                        raise NotScraped(f"it answers with more than {MOST_BYTES:,} bytes")
                    if time.monotonic() > ends:
                        raise NotScraped(f"no whole answer within {DEADLINE_S:g} s")
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            raise NotScraped(f"it does not answer: {type(error).__name__}") from error
        text = body.decode("utf-8", "replace")
        if not any(line.startswith("# TYPE") or line == "# EOF" for line in text.splitlines()):
            raise NotScraped("its answer is not OpenMetrics text")
        return text
