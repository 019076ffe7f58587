"""Time of sessions of which one stands for several: what is shown is the time of all, beside a reference of all."""

from __future__ import annotations

from pathlib import Path

import polars as pl
import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.core.time.span import iso
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Cluster, Server
from tests.conftest import signed_in

SECOND = 1_000_000
NOW = 1_773_000_000 * SECOND
HOUR = 3600


def samples(first_s: int, sessions: list[int], every_s: int, one_in: int) -> pl.DataFrame:
    """An hour in which every session reads data at every look."""
    at = [NOW + (first_s + n) * SECOND for n in range(0, HOUR, every_s)]
    frame = pl.DataFrame({"at_us": at}).join(pl.DataFrame({"session": sessions}), how="cross")
    told = {"wait_event": "page_read", "wait_family": "data read", "user": "u", "service": "s", "database": "d"}
    columns = [pl.lit(v).alias(k) for k, v in told.items()] + [pl.lit(-1, dtype=pl.Int32).alias("statement")]
    if (every_s, one_in) != (1, 1):
        columns.append(pl.lit(float(every_s * one_in)).alias("weight"))
    return frame.with_columns(*columns, *([pl.lit(one_in).alias("one_in")] if one_in > 1 else []))


@pytest.mark.parametrize(("every_s", "one_in", "followed"), [(1, 1, 20), (5, 1, 20), (1, 5, 4), (2, 10, 2)])
def test_time_is_that_of_all_sessions(tmp_path: Path, every_s: int, one_in: int, followed: int) -> None:
    store = Store(AppSettings(data=tmp_path).store_path)
    with store.write() as session:
        server = Server(name="a", cluster=Cluster(name="c"), role="single", engine="practice", engine_version="1",
                        address="http://x", capture=CaptureState(recorded_until_us=NOW, seen_us=NOW))  # fmt: skip
        session.add(server)
        session.flush()
        for first_s in (-HOUR, -3 * HOUR):  # the focus, and a reference recorded alike
            segments.append(session, server.id, "sample", samples(first_s, list(range(followed)), every_s, one_in))
        segments.append(session, server.id, "sample", samples(-5 * HOUR, list(range(20)), 1, 1))
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    margins = []
    with TestClient(create_app(settings, store, clock=lambda: NOW)) as client:
        signed_in(client)
        for hours in (3, 5):
            since, until = (iso(NOW - (hours - n) * HOUR * SECOND) for n in (0, 1))
            found = client.get("/api/ledger", params={"reference": f"{since}/{until}"}).json()
            (entry,) = found["entries"]
            margins.append(entry["high"] - entry["low"])
            assert entry["active_sessions"] == pytest.approx(20, rel=0.01)
            assert entry["reference"]["value"] == pytest.approx(20, rel=0.01), "whatever the reference was sampled by"
            assert sum(found["stack"]["series"]["data read"]) / len(found["stack"]["at_us"]) == pytest.approx(
                20, rel=0.05
            )
            assert entry["low"] <= 20 <= entry["high"]
    assert (margins[0] > 5) == (one_in > 1), "of sessions that were not followed little is known"
    store.close()
