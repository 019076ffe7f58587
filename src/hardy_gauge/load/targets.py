"""Open the place where a trial runs; everything about it is checked before the first run."""

from __future__ import annotations

from hardy_gauge.load.design import BadTrial, TrialDesign
from hardy_gauge.load.play_target import PlayTarget
from hardy_gauge.load.sqlite_target import SqliteTarget
from hardy_gauge.load.trial import RunTarget
from hardy_gauge.probes.http import HttpProbe


def open_target(design: TrialDesign, address: str | None) -> RunTarget:
    """The target of a design; ``address`` is the probe's when the target is a server of the fleet.

    BadTrial when the target cannot be had or an arm does not fit it.
    """
    target = design.target
    if target.server is not None or target.address is not None:
        if address is None and target.address is None:
            detail = f"target.server: {target.server} is not a server of the recorded fleet"
            raise BadTrial(detail, "target.server")
        return PlayTarget(HttpProbe(target.address or str(address)), design.workload, design.arms, design.run.cold)
    if design.run.cold:
        raise BadTrial("run.cold: the system's caches of this machine cannot be emptied for a SQLite trial", "run.cold")
    return SqliteTarget(target, design.workload, design.arms)
