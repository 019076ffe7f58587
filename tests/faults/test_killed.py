"""Recording that is killed at any moment: the store opens clean, nothing acknowledged is lost, nothing counted twice.

KILLS=800 in the environment kills eight hundred times; SEED begins elsewhere.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
import random
import signal
import threading
from contextlib import suppress
from pathlib import Path

import pytest
from sqlalchemy import select, text

from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Gap
from tests.faults.fake import SECOND, FakeServer
from tests.faults.recording import record

MINUTE_US = 60 * SECOND
FORKED = multiprocessing.get_context("forkserver")
FORKED.set_forkserver_preload(["tests.faults.recording"])
KILLS = int(os.environ.get("KILLS", "30"))


def pass_minutes(fake: FakeServer, count: int = 1) -> int:
    """Time passes on the server, at 600 calls a minute; returns its clock."""
    fake.now += count * MINUTE_US
    fake.calls += 600 * count
    return fake.now


def life(store: Path, fake: FakeServer, chance: random.Random) -> int:
    """Record until killed, at any moment after the first acknowledgement; returns the last one."""
    heard, said = FORKED.Pipe(duplex=False)
    process = FORKED.Process(target=record, args=(str(store), fake.address, said))
    process.start()
    said.close()
    last = int(heard.recv())
    threading.Timer(chance.uniform(0.0, 0.7), process.kill).start()
    with suppress(EOFError):
        while True:
            last = int(heard.recv())
    process.join()
    assert process.exitcode == -signal.SIGKILL
    heard.close()
    return last


@pytest.mark.timeout(max(900, KILLS * 4))
def test_killed_at_random_moments(tmp_path: Path) -> None:
    chance, path = random.Random(int(os.environ.get("SEED", "11"))), tmp_path / "store.db"
    fake = FakeServer("kept")
    fake.extra["clock"] = lambda: pass_minutes(fake)  # a minute passes whenever the child looks at its clock
    before = fake.calls
    for _ in range(KILLS):
        acknowledged = life(path, fake, chance)
        store = Store(path)
        with store.read() as session:
            assert session.execute(text("PRAGMA integrity_check")).scalar_one() == "ok"
            assert session.get_one(CaptureState, 1).recorded_until_us >= acknowledged, "what was said is there"
        store.close()
        pass_minutes(fake, chance.randint(2, 200))
    fake.http.shutdown()
    total = fake.calls - before
    store = Store(path)
    with store.read() as session:
        frame = segments.read(session, [1], "metric", 0, 2**62).sort("at_us")
        gaps = list(session.scalars(select(Gap).where(Gap.kind == "gap").order_by(Gap.from_us)))
    store.close()
    assert len(frame) > KILLS and frame["at_us"].is_unique().all(), "no interval twice"
    assert (frame["calls"] / frame["span_s"]).round(6).to_list() == [10.0] * len(frame), "each counts its own time"
    assert len(gaps) == KILLS - 1 and all(gap.to_us for gap in gaps), "every life after the first begins with a gap"
    assert frame["calls"].sum() <= total
    # an interval stands at the minute of its middle, so its ends are known to a minute
    spans = [(at + MINUTE_US // 2 - s * SECOND / 2, at + MINUTE_US // 2 + s * SECOND / 2) for at, s in frame.select("at_us", "span_s").iter_rows()]  # fmt: skip
    for (_, end), (start, _) in itertools.pairwise(spans):
        assert start >= end - MINUTE_US, "no time is counted twice"
        if start - end > MINUTE_US:
            # a life that was killed before its second look has only its own gap, which begins where the last one ends
            inside = [(g.from_us, g.to_us or 0) for g in gaps if end - MINUTE_US <= g.from_us < start]
            reach = [end, *(to for _, to in inside)]
            assert all(since <= before + MINUTE_US for before, (since, _) in zip(reach, inside, strict=False))
            assert reach[-1] >= start - MINUTE_US, "every hole is marked"
    # a last life killed before its second look leaves a gap behind the last interval
    marked = sum((gap.to_us or 0) - gap.from_us for gap in gaps if gap.from_us < spans[-1][0]) / SECOND * 10
    recorded = (spans[-1][1] - spans[0][0]) / SECOND * 10
    assert frame["calls"].sum() + marked == pytest.approx(recorded, rel=0.01), "recorded and marked are all there is"
