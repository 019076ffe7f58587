"""On the first day there is something to compare with already, and only what was recorded is offered."""

from __future__ import annotations

import pytest

from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.offers import reference_offers
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built


@pytest.fixture
def built(store: Store) -> Built:
    return Built(store)


def offered(built: Built) -> list[str]:
    a, peers = server_named(built.reader, "a"), [server_named(built.reader, "b")]
    return [offer.words for offer in reference_offers(built.reader, a, peers, Window(HOUR))]


def test_first_hours(built: Built) -> None:
    a = built.server("a")
    built.server("b", role="replica")
    built.minutes(a, HOUR.since_us, NOW, 1.0)
    assert offered(built) == []


def test_the_time_before_a_day_before_and_a_replica(built: Built) -> None:
    a, b = built.server("a"), built.server("b", role="replica")
    for span in (HOUR, HOUR.moved(HOUR.since_us - HOUR.until_us), HOUR.moved(-DAY_US)):
        built.minutes(a, span.since_us, span.until_us, 1.0)
    built.minutes(b, HOUR.since_us, NOW, 1.0)
    words = offered(built)
    assert len(words) == 3 and words[0].endswith("before")
    assert words[1:] == ["the same time a day before", "b, replica, over the same time"]
