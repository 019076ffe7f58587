"""Sessions by Little's law: as many are at work as calls arrive in the time of one (Little, "A proof for the queuing formula L = λW",
Operations Research 9, 1961).
"""

from __future__ import annotations


def sessions_at_work(calls_per_s: float, response_s: float) -> float:
    """L = λ · W."""
    return calls_per_s * response_s


def longest_response_s(sessions: float, calls_per_s: float) -> float:
    """W = L ÷ λ: how long a call may take before so many sessions are not enough."""
    return sessions / calls_per_s if calls_per_s > 0 else float("inf")
