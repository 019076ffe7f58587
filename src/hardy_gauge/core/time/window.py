"""The window of a question: the focus that is looked at, and the reference it is compared with."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Literal

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.errors import InvalidInput

LONGEST_US = 40 * DAY_US
SERVER = "server:"
_DURATION = re.compile(r"P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?")


class BadWindow(InvalidInput):
    """A focus or a reference that cannot be read."""

    title = "Impossible window"


@dataclass(frozen=True)
class Reference:
    """A typical day, another window, or another server over the same time."""

    kind: Literal["typical day", "window", "server"] = "typical day"
    span: Span | None = None
    server: str | None = None

    @property
    def name(self) -> str:
        """What comparisons call it: "2.3× a typical day"."""
        if self.kind == "server":
            return str(self.server)
        return "the reference" if self.kind == "window" else "a typical day"


@dataclass(frozen=True)
class Window:
    """``following``: the focus ends now and moves on."""

    focus: Span
    reference: Reference = field(default_factory=Reference)
    following: bool = False

    def by_minute(self) -> Window:
        """As it stood at the last whole minute where it moves on: what is compared with does not change with every second."""
        if not self.following:
            return self
        return replace(self, focus=self.focus.moved(-(self.focus.until_us % MINUTE_US)))


def parse_span(text: str, name: str) -> Span:
    """An ISO 8601 interval "from/to"; BadWindow when it is none, is empty, or is longer than 40 days."""
    try:
        since, until = (int(datetime.fromisoformat(part).timestamp() * 1e6) for part in text.split("/"))
    except (ValueError, TypeError, OverflowError) as error:
        detail = f"{name}: an interval such as 2026-03-02T09:00:00Z/2026-03-02T10:00:00Z was expected"
        raise BadWindow(detail, name) from error
    if until <= since:
        raise BadWindow(f"{name}: the end must be after the start", name)
    if until - since > LONGEST_US:
        raise BadWindow(f"{name}: at most 40 days at a time", name)
    return Span(since, until)


def parse_focus(text: str, now_us: int, name: str = "focus") -> tuple[Span, bool]:
    """A focus from an interval, or from a duration such as PT1H that ends now; True when it follows the present."""
    match = _DURATION.fullmatch(text)
    if match and any(match.groups()):
        if max(len(part or "") for part in match.groups()) > 6:
            raise BadWindow(f"{name}: from one minute to 40 days", name)
        days, hours, minutes = (int(part or 0) for part in match.groups())
        length = days * DAY_US + hours * HOUR_US + minutes * MINUTE_US
        if not 0 < length <= LONGEST_US:
            raise BadWindow(f"{name}: from one minute to 40 days", name)
        return Span(now_us - length, now_us), True
    span = parse_span(text, name)
    if span.since_us > now_us:
        raise BadWindow(f"{name}: it lies in the future; nothing is recorded there", name)
    return span, False


def parse_reference(text: str) -> Reference:
    """ "usual" (a typical day), an ISO 8601 interval, or "server:NAME"."""
    if text == "usual":
        return Reference()
    if text.startswith(SERVER) and len(text) > len(SERVER):
        return Reference("server", server=text.removeprefix(SERVER))
    return Reference("window", span=parse_span(text, "reference"))


def parse_window(focus: str, reference: str, now_us: int) -> Window:
    """Focus and reference as they stand in an address; BadWindow names the one that is wrong."""
    span, following = parse_focus(focus, now_us)
    return Window(span, parse_reference(reference), following)
