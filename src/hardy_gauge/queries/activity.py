"""What a server spent its time on over a span."""

from __future__ import annotations

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.core.narrative.activity import doing_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.store.models import Server


def doing(reader: Reader, server: Server, span: Span) -> str:
    """What most of the time goes to, in words."""
    samples = read_samples(reader, [server], span, ["wait_family"])
    rows = samples.group_by("wait_family").agg(time_spent(samples).alias("spent"))
    return doing_words({family: spent for family, spent in rows.iter_rows() if family is not None})
