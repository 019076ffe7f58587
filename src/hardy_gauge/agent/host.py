"""The machine that the agent runs on, through psutil: facts, and figures that a database does not see."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import psutil

from hardy_gauge.probes.protocol import Host, Volume

Purpose = Literal["data", "log", "both"]
IDLE = ("idle", "iowait", "guest", "guest_nice")


@dataclass(frozen=True)
class Folder:
    """A folder whose volume is of interest, and what the engine keeps there."""

    name: str
    purpose: Purpose
    path: Path


def facts(folders: Sequence[Folder]) -> Host:
    """Cores, memory and the volumes of the folders; one that is not there is left out."""
    volumes = []
    for folder in folders:
        if folder.path.exists():
            use = psutil.disk_usage(str(folder.path))
            volumes.append(
                Volume(
                    name=folder.name, purpose=folder.purpose, capacity_bytes=use.used + use.free, used_bytes=use.used
                )
            )
    return Host(cores=psutil.cpu_count() or 1, memory_bytes=psutil.virtual_memory().total, volumes=volumes)


def counters() -> dict[str, float]:
    """Seconds of processor work of all cores since the start of the machine, pages swapped, bytes over the network.

    A guest's time is part of user time, waiting for storage is not work.
    """
    times = psutil.cpu_times()._asdict()
    network = psutil.net_io_counters()
    swap = psutil.swap_memory()
    found = {
        "processor_busy_s": sum(float(v) for name, v in times.items() if name not in IDLE),
        "swap_pages": (swap.sin + swap.sout) / 4096,
    }
    if network is not None:
        found |= {"network_bytes_sent": float(network.bytes_sent), "network_bytes_received": float(network.bytes_recv)}
    return found


def levels() -> dict[str, float]:
    """Memory in use and the load on each core (common practice: above 1, work queues)."""
    cores = psutil.cpu_count() or 1
    return {
        "memory_used_bytes": float(psutil.virtual_memory().used),
        "swap_used_bytes": float(psutil.swap_memory().used),
        "load_per_core": psutil.getloadavg()[0] / cores,
    }
