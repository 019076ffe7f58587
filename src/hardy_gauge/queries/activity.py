"""What servers spent their time on over a span."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.core.narrative.activity import doing_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.store.models import Server


def doing(reader: Reader, servers: Sequence[Server], span: Span) -> dict[int, str]:
    """Of each server what most of its time goes to, in words, by id."""
    samples = read_samples(reader, servers, span, ["wait_family"])
    rows = samples.group_by("server_id", "wait_family").agg(time_spent(samples).alias("spent"))
    spent: dict[int, dict[str, float]] = {server.id: {} for server in servers}
    for server_id, family, seconds in rows.iter_rows():
        if family is not None:
            spent[server_id][family] = seconds
    return {server_id: doing_words(found) for server_id, found in spent.items()}
