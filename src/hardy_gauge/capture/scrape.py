"""Figures that stand beside a server as OpenMetrics text: asked for each minute with its counters."""

from __future__ import annotations

from dataclasses import dataclass, field

from hardy_gauge.capture.imports.import_batch import MOST_FIGURES, of_figures
from hardy_gauge.capture.imports.openmetrics import figures_of, read_openmetrics
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.errors import ProbeError
from hardy_gauge.probes.transport import NoAnswer, TooLarge, Transport

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
        transport = Transport(address)
        try:
            status, body = transport.ask("GET", address, {"accept": ACCEPT}, None, DEADLINE_S, MOST_BYTES)
        except TooLarge as error:
            raise NotScraped(f"its answer is {error}") from error
        except (NoAnswer, ProbeError) as error:
            raise NotScraped(f"it does not answer: {error}") from error
        finally:
            transport.close()
        if status != 200:
            raise NotScraped(f"it answers with status {status}")
        text = body.decode("utf-8", "replace")
        if not any(line.startswith("# TYPE") or line == "# EOF" for line in text.splitlines()):
            raise NotScraped("its answer is not OpenMetrics text")
        return text
