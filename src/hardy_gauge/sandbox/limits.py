"""What a sandboxed process may use."""

from __future__ import annotations

import resource
from dataclasses import asdict, dataclass
from functools import cache

MiB = 2**20


@dataclass(frozen=True)
class SandboxLimits:
    """Bytes of address space beyond what the interpreter has itself, seconds of one core, bytes of one file, open files.

    None is without limit.
    """

    memory_bytes: int | None = 1024 * MiB
    cpu_s: int | None = 600
    file_bytes: int | None = 8192 * MiB
    open_files: int = 1024

    def as_dict(self) -> dict[str, int | None]:
        """For the command line of the process."""
        return asdict(self)

    def apply(self) -> None:
        """Set them for this process and all that it starts; they can only be lowered afterwards."""
        _set(resource.RLIMIT_CORE, 0)
        _set(resource.RLIMIT_NOFILE, self.open_files)
        if self.cpu_s is not None:
            _set(resource.RLIMIT_CPU, self.cpu_s)
        if self.file_bytes is not None:
            _set(resource.RLIMIT_FSIZE, self.file_bytes)
        if self.memory_bytes is not None:
            set_memory(self.memory_bytes)


def set_memory(more_bytes: int) -> None:
    """Allow this process ``more_bytes`` of address space beyond what the interpreter had when it began to work."""
    _set(resource.RLIMIT_AS, _of_interpreter() + more_bytes)


def _set(what: int, most: int) -> None:
    _, hard = resource.getrlimit(what)
    most = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(what, (most, most))


@cache
def _of_interpreter() -> int:
    """Bytes mapped at the first call, which is before the process is confined; an estimate where nothing tells."""
    try:
        with open("/proc/self/statm", encoding="ascii") as file:
            return int(file.read().split()[0]) * resource.getpagesize()
    except OSError:
        return 128 * MiB
