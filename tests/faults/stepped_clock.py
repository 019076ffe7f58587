"""The command line on a machine whose clock is stepped: the file named by STEPPED_CLOCK holds seconds by which it is off."""

from __future__ import annotations

import os
import time
from contextlib import suppress
from pathlib import Path

from hardy_gauge.cli.main import main

FILE = Path(os.environ["STEPPED_CLOCK"])
real_ns = time.time_ns


def off_ns() -> int:
    with suppress(OSError, ValueError):
        return int(FILE.read_text()) * 10**9
    return 0


time.time_ns = lambda: real_ns() + off_ns()
time.time = lambda: (real_ns() + off_ns()) / 1e9
main()
