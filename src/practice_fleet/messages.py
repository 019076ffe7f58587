"""What the log says of what happens by itself: deadlocks, no session free, and the host killing the server."""

from __future__ import annotations

import itertools

import numpy as np

from hardy_gauge.probes.protocol import LogMessage
from practice_fleet.history import Block, History
from practice_fleet.server import DAY_US, MINUTE_US

MOST_A_MINUTE = 20
KILLED_AGAIN_US = 10 * MINUTE_US


def happened(history: History, since_us: int, until_us: int) -> list[LogMessage]:
    """Messages within the span: one for each victim of a deadlock, each call that failed and each without a session, at most some a minute, and for
    each kill."""
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
                found += _said(history, block) if deadlocks else []
    return [message for message in found if since_us <= message.at_us < until_us]


def _refused(history: History, block: Block) -> list[LogMessage]:
    """One for each call that found no session free, at most some a minute."""
    counts = block.refused.sum(axis=0)
    limit = int(float(block.state.settings["max_sessions"]))
    found = []
    for minute in np.nonzero(counts)[0]:
        at_us = int(block.at_us[minute])
        rng = np.random.default_rng([history.server.seed, 8, at_us // MINUTE_US])
        text = f"no session is free: all {limit} are in use"
        found += [
            LogMessage(at_us=at_us + int(after), severity="error", text=text)
            for after in rng.integers(0, MINUTE_US, min(MOST_A_MINUTE, int(counts[minute])))
        ]
    return found


def _failures(history: History, block: Block) -> list[LogMessage]:
    """One for each call that failed by itself, with its statement, at most some a minute."""
    found = []
    for number, key in enumerate(block.keys):
        words, spec = block.state.now.failure_words.get(key), block.state.statements[key]
        if words is None:
            continue
        share = block.state.now.failing[key] / np.maximum(
            1 - (1 - block.state.now.failing[key]) * (1 - block.model.failed[number]), 1e-12
        )
        for minute in np.nonzero(block.errors[number])[0]:
            at_us = int(block.at_us[minute])
            rng = np.random.default_rng([history.server.seed, 9, number, at_us // MINUTE_US])
            count = min(MOST_A_MINUTE, int(rng.binomial(int(block.errors[number, minute]), min(1.0, share[minute]))))
            found += [
                LogMessage(
                    at_us=at_us + int(after), severity="error", text=words, user=spec.user, service=spec.service,
                    database=history.server.cluster.database, statement=spec.sql,
                )
                for after in rng.integers(0, MINUTE_US, count)
            ]  # fmt: skip
    return found


def _said(history: History, block: Block) -> list[LogMessage]:
    found = []
    for number, key in enumerate(block.keys):
        victims = block.model.victims[number]
        share = victims / np.maximum(block.model.failed[number], 1e-12)
        for minute in np.nonzero(victims)[0]:
            at_us = int(block.at_us[minute])
            rng = np.random.default_rng([history.server.seed, 5, number, at_us // MINUTE_US])
            count = min(MOST_A_MINUTE, int(rng.binomial(int(block.errors[number, minute]), min(1.0, share[minute]))))
            text = f"deadlock found; {key} was given up as victim"
            found += [
                LogMessage(at_us=at_us + int(after), severity="error", text=text, object=key)
                for after in rng.integers(0, MINUTE_US, count)
            ]
    return found
