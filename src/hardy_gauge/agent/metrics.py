"""The agent's figures as OpenMetrics text, for whoever scrapes them."""

from __future__ import annotations

import re
from collections.abc import Iterator

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector

from hardy_gauge.probes.protocol import Counters

__all__ = ["CONTENT_TYPE_LATEST", "text"]
PREFIX = "hardy_gauge_"


class _Figures(Collector):
    def __init__(self, by_server: dict[str, Counters]) -> None:
        self.by_server = by_server

    def collect(self) -> Iterator[Metric]:
        """One family a figure; what stands after the first point of its name is the label ``of``."""
        families: dict[tuple[str, bool], Metric] = {}
        for server, counters in self.by_server.items():
            for values, counted in ((counters.values, True), (counters.levels, False)):
                for name, value in values.items():
                    family = families.setdefault((name.partition(".")[0], counted), _family(name, counted))
                    family.add_metric([server, name.partition(".")[2]], value)  # type: ignore[attr-defined]
        return iter(families.values())


def _family(name: str, counted: bool) -> Metric:
    base = PREFIX + re.sub(r"[^a-zA-Z0-9_]", "_", name.partition(".")[0])
    kind = CounterMetricFamily if counted else GaugeMetricFamily
    words = f"{name.partition('.')[0].replace('_', ' ')}, {'counted' if counted else 'as read'}"
    return kind(base, words, labels=["server", "of"])


def text(by_server: dict[str, Counters]) -> bytes:
    """OpenMetrics 1.0 of the figures of each server by its name."""
    registry = CollectorRegistry(auto_describe=False)
    registry.register(_Figures(by_server))
    return bytes(generate_latest(registry))  # type: ignore[no-untyped-call]
