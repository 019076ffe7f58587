"""The application's own figures as OpenMetrics: answers, recording, the store, memory, work that waits."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from prometheus_client import CollectorRegistry, Counter, Histogram
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import generate_latest
from prometheus_client.registry import Collector

from hardy_gauge.queries.own_health import OwnFigures

PREFIX = "hardy_gauge_own_"
BUCKETS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)


class _Own(Collector):
    def __init__(self, figures: Callable[[], OwnFigures]) -> None:
        self.figures = figures

    def collect(self) -> Iterator[Metric]:
        """One family a figure."""
        for figure in self.figures().figures:
            kind = CounterMetricFamily if figure.counted else GaugeMetricFamily
            family = kind(PREFIX + figure.name, figure.words)
            family.add_metric([], figure.value)
            yield family


class OwnMetrics:
    """The figures of one application. ``figures`` are asked for when they are scraped."""

    def __init__(self, figures: Callable[[], OwnFigures]) -> None:
        self._registry = CollectorRegistry(auto_describe=False)
        self._answers = Counter(
            f"{PREFIX}answers", "answers by route", ["method", "route", "status"], registry=self._registry
        )
        self._seconds = Histogram(
            f"{PREFIX}answer_seconds", "time of answers by route", ["route"], registry=self._registry, buckets=BUCKETS
        )
        self._registry.register(_Own(figures))

    def answered(self, method: str, route: str, status: int, seconds: float) -> None:
        """Count an answer."""
        self._answers.labels(method, route, str(status)).inc()
        self._seconds.labels(route).observe(seconds)

    def text(self) -> bytes:
        """OpenMetrics 1.0."""
        return bytes(generate_latest(self._registry))  # type: ignore[no-untyped-call]
