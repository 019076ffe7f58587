"""A sandboxed process: ``python -m hardy_gauge.sandbox.main JOB FOLDER CONNECTION LIMITS [FILE...]``.

The job's module is imported first, then the process gives up its rights, and only then reads what it was given.
"""

from __future__ import annotations

import json
import os
import sys
import sysconfig
from importlib import import_module
from multiprocessing.connection import Connection
from pathlib import Path

from hardy_gauge.sandbox.jobs import JOBS
from hardy_gauge.sandbox.kernel import confine, die_with_parent
from hardy_gauge.sandbox.limits import SandboxLimits


def main(job: str, folder: str, number: str, limits: str, *readable: str) -> None:
    """Run one job of ``JOBS`` over the connection with this descriptor."""
    module, _, function = JOBS[job].partition(":")
    run = getattr(import_module(module), function)
    connection = Connection(int(number))
    options = json.loads(limits)
    lasting = options.pop("lasting")
    SandboxLimits(**options).apply()
    restrictions = confine(Path(folder), [*_libraries(), *map(Path, readable)], keep_user=bool(readable))
    if not lasting:
        die_with_parent()  # another user's process forgets it
    os.chdir(folder)
    connection.send_bytes(json.dumps({"restrictions": restrictions}).encode())
    run(connection, Path(folder))


def _libraries() -> list[Path]:
    """Where the interpreter's and the packages' modules are; the application's data is in none of them."""
    names = ("stdlib", "platstdlib", "purelib", "platlib")
    mine = Path(__file__).parents[1]
    return [*{Path(sysconfig.get_path(name)) for name in names}, mine, Path(sys.base_prefix, "lib"), Path("/usr/lib")]


if __name__ == "__main__":
    main(*sys.argv[1:])
