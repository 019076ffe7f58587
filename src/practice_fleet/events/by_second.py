"""How a run by events went, second by second, while it goes on."""

from __future__ import annotations

from hardy_gauge.probes.protocol import PlaySecond
from practice_fleet.events.run import Run
from practice_fleet.physics.wait_events import EVENTS


class RunSeconds:
    """Asked after every second of a run; knows what it has told already."""

    def __init__(self, run: Run) -> None:
        self._run = run
        self._finished = self._samples = self._looks = 0
        self._busy: dict[str, float] = {}

    def next(self, done_s: float) -> PlaySecond:
        """What came since it was asked last; sessions are those that were seen at work meanwhile, None where nobody
        looked.
        """
        run = self._run
        finished, samples = run.finished[self._finished :], run.samples[self._samples :]
        self._finished, self._samples = len(run.finished), len(run.samples)
        looked, self._looks = len(run.ticks) > self._looks, len(run.ticks)
        waits: dict[str, float] = {}
        for sample in samples:
            event = EVENTS[sample[3]]
            waits[event] = waits.get(event, 0.0) + 1.0
        busy = {name: share * done_s for name, share in run.machine.utilisation(done_s).items()}
        since = {name: max(0.0, seconds - self._busy.get(name, 0.0)) for name, seconds in busy.items()}
        self._busy = busy
        good = [one for one in finished if not one[3]]
        return PlaySecond(
            ended=len(good), failed=len(finished) - len(good), took_s=sum(one[1] for one in good), waits=waits if looked else None,
            busy=since,
        )  # fmt: skip
