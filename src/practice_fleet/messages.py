"""What the log says of what happens by itself: deadlocks, calls that fail or find no session, and the host killing the server."""

from __future__ import annotations

import itertools

import numpy as np

from hardy_gauge.probes.protocol import LogMessage
from practice_fleet.history import Block, History
from practice_fleet.physics.queueing import Array
from practice_fleet.server import DAY_US, MINUTE_US

MOST_A_MINUTE = 20
KILLED_AGAIN_US = 10 * MINUTE_US


def happened(history: History, since_us: int, until_us: int) -> list[LogMessage]:
    """Messages within the span: for each victim of a deadlock, each call that failed and each without a session, at most some a
    minute, and for each kill.
    """
    server = history.server
    since_us = max(since_us, server.start_us)
    found: list[LogMessage] = []
    for first, last in itertools.pairwise([since_us, *server.cuts(since_us, until_us), until_us]):
        state = server.state(first)
        if state.now.killed:
            words = state.memory.killed_words
            found += [LogMessage(at_us=at, severity="error", text=words) for at in range(first, last, KILLED_AGAIN_US)]
            continue
        deadlocks = any(s.locked_rows > 1 and s.lock_order == "any" for s in state.statements.values())
        begin = first if deadlocks else max(first, until_us - DAY_US)
        if begin < last:
            for block in history.blocks(begin // MINUTE_US * MINUTE_US, -(-last // MINUTE_US) * MINUTE_US):
                found += _refused(history, block) + _failures(history, block)
                found += _victims(history, block) if deadlocks else []
    return [message for message in found if since_us <= message.at_us < until_us]


def _refused(history: History, block: Block) -> list[LogMessage]:
    """One for each call that found no session free."""
    limit = int(float(block.state.settings["max_sessions"]))
    said = LogMessage(at_us=0, severity="error", text=f"no session is free: all {limit} are in use")
    return _spread(history, block, (8,), block.refused.sum(axis=0), np.ones(block.minutes), said)


def _failures(history: History, block: Block) -> list[LogMessage]:
    """One for each call that failed by itself, with its statement."""
    found = []
    for number, key in enumerate(block.keys):
        words, spec = block.state.now.failure_words.get(key), block.state.statements[key]
        if words is None:
            continue
        always = block.state.now.failing[key]
        share = always / np.maximum(1 - (1 - always) * (1 - block.model.failed[number]), 1e-12)
        said = LogMessage(
            at_us=0, severity="error", text=words, user=spec.user, service=spec.service,
            database=history.server.cluster.database, statement=spec.sql,
        )  # fmt: skip
        found += _spread(history, block, (9, number), block.errors[number], share, said)
    return found


def _victims(history: History, block: Block) -> list[LogMessage]:
    """One for each call that was given up for others."""
    found = []
    for number, key in enumerate(block.keys):
        share = block.model.victims[number] / np.maximum(block.model.failed[number], 1e-12)
        spec = block.state.statements[key]
        said = LogMessage(
            at_us=0, severity="error", text="deadlock found; the call was given up as victim", user=spec.user,
            service=spec.service, database=history.server.cluster.database, statement=spec.sql,
            detail=f"it waited for a row that another session keeps, which waited for a row of its own; both ran: {spec.sql}",
        )  # fmt: skip
        found += _spread(history, block, (5, number), block.errors[number], share, said)
    return found


def _spread(
    history: History, block: Block, purpose: tuple[int, ...], counts: Array, share: Array, said: LogMessage
) -> list[LogMessage]:
    """A message for a ``share`` of what was counted in each minute, somewhere in it, at most some a minute."""
    found = []
    for minute in np.nonzero(counts * share)[0]:
        at_us = int(block.at_us[minute])
        rng = np.random.default_rng([history.server.seed, *purpose, at_us // MINUTE_US])
        count = min(MOST_A_MINUTE, int(rng.binomial(int(counts[minute]), min(1.0, float(share[minute])))))
        found += [said.model_copy(update={"at_us": at_us + int(after)}) for after in rng.integers(0, MINUTE_US, count)]
    return found
