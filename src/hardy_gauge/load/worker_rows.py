"""The executions of a trial's worker as bytes, and back: start and duration in seconds (float64 each), the statement's number (int32),
whether it failed (int8), column by column.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable

from hardy_gauge.load.second_counts import SecondCounts

SIZE = 8 + 8 + 4 + 1


class WorkerRows:
    """Filled by one worker, execution by execution."""

    def __init__(self) -> None:
        self._columns = array("d"), array("d"), array("i"), array("b")

    def adder(self) -> Callable[[float, float, int, bool], None]:
        """What adds an execution: start_s, duration_s, statement, failed."""
        first, second, third, fourth = self._columns
        starts, durations, statements, failures = first.append, second.append, third.append, fourth.append

        def add(start_s: float, duration_s: float, statement: int, failed: bool) -> None:
            starts(start_s)
            durations(duration_s)
            statements(statement)
            failures(failed)

        return add

    def teller(self, counts: SecondCounts) -> Callable[[float, float], None]:
        """What tells ``counts`` of the executions since it last did, given when that was and when the last of them ended, in seconds: all but
        the last ended in the second of the former, if no whole second lies between that and the end of the one before the last.
        """
        _, durations, _, failures = self._columns
        told = 0

        def tell(before_s: float, now_s: float) -> None:
            nonlocal told
            last = len(durations) - 1
            counts.add(int(before_s), durations[told:last], failures[told:last])
            counts.add(int(now_s), durations[max(told, last) :], failures[max(told, last) :])
            told = last + 1

        return tell

    def packed(self) -> bytes:
        """All of them."""
        return b"".join(column.tobytes() for column in self._columns)
