"""Spans of time. Moments are UTC microseconds; a span holds its start and not its end."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

SECOND_US = 1_000_000
MINUTE_US = 60 * SECOND_US
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US
WEEK_US = 7 * DAY_US


@dataclass(frozen=True, order=True)
class Span:
    """From ``since_us`` up to ``until_us``, in UTC microseconds."""

    since_us: int
    until_us: int

    @property
    def seconds(self) -> float:
        """Its length in seconds."""
        return (self.until_us - self.since_us) / SECOND_US

    def moved(self, by_us: int) -> Span:
        """The span shifted by microseconds."""
        return Span(self.since_us + by_us, self.until_us + by_us)

    def cut(self, other: Span) -> Span | None:
        """The part that lies in ``other``; None where they do not meet."""
        since, until = max(self.since_us, other.since_us), min(self.until_us, other.until_us)
        return Span(since, until) if until > since else None

    def iso(self) -> str:
        """As an ISO 8601 interval."""
        return f"{iso(self.since_us)}/{iso(self.until_us)}"


def iso(at_us: int) -> str:
    """A moment in ISO 8601, whole seconds, UTC."""
    return datetime.fromtimestamp(at_us / 1e6, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def is_weekend(at_us: int) -> bool:
    """Whether a moment lies on a Saturday or Sunday, UTC."""
    return datetime.fromtimestamp(at_us / 1e6, UTC).weekday() >= 5


def merged(spans: Iterable[Span]) -> list[Span]:
    """The union: ascending, without overlaps, so that time in two spans counts once."""
    found: list[Span] = []
    for span in sorted(spans):
        if found and span.since_us <= found[-1].until_us:
            found[-1] = Span(found[-1].since_us, max(found[-1].until_us, span.until_us))
        elif span.until_us > span.since_us:
            found.append(span)
    return found


def overlap_s(span: Span, others: Iterable[Span]) -> float:
    """Seconds of ``span`` that lie in the union of the others."""
    return sum(part.seconds for other in merged(others) if (part := span.cut(other)) is not None)
