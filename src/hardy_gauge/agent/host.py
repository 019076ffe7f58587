"""The machine that the agent runs on, through psutil: facts, and figures that a database does not see."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import psutil

from hardy_gauge.probes.protocol import Host, Volume

Purpose = Literal["data", "log", "both"]
PAGE_BYTES = 4096
KINDS = ("user", "system", "iowait", "steal")
SETTINGS = {
    "swap_tendency": "/proc/sys/vm/swappiness", "large_pages": "/sys/kernel/mm/transparent_hugepage/enabled",
    "memory_promised": "/proc/sys/vm/overcommit_memory", "power_saving": "/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor",
}  # fmt: skip
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
    return Host(
        cores=psutil.cpu_count() or 1, memory_bytes=psutil.virtual_memory().total, volumes=volumes, settings=settings()
    )


def counters(folders: Sequence[Folder] = ()) -> dict[str, float]:
    """Seconds of processor work of all cores since the start of the machine, also by kind, pages swapped, bytes over the
    network, and what the folders' volumes did.

    A guest's time is part of user time, waiting for storage is not work.
    """
    times = psutil.cpu_times()._asdict()
    network, swap = psutil.net_io_counters(), psutil.swap_memory()
    found = {f"processor_s.{name}": float(times[name]) for name in KINDS if name in times}
    found |= {
        "processor_busy_s": sum(float(v) for name, v in times.items() if name not in IDLE),
        "swap_pages": (swap.sin + swap.sout) / PAGE_BYTES, "swap_in_pages": swap.sin / PAGE_BYTES, "swap_out_pages": swap.sout / PAGE_BYTES,
    }  # fmt: skip
    if network is not None:
        found |= {"network_bytes_sent": float(network.bytes_sent), "network_bytes_received": float(network.bytes_recv)}
    for folder in folders:
        found |= _volume(folder)
    return found


def levels() -> dict[str, float]:
    """Memory in use, the load on each core, and the threads that run or wait for a core (common practice: above one for
    each core, work queues).
    """
    cores = psutil.cpu_count() or 1
    memory = psutil.virtual_memory()
    found = {
        "memory_used_bytes": float(memory.used), "memory_available_bytes": float(memory.available),
        "swap_used_bytes": float(psutil.swap_memory().used), "load_per_core": psutil.getloadavg()[0] / cores,
    }  # fmt: skip
    running = _line("/proc/stat", "procs_running")
    return found | ({"run_queue": float(running)} if running.isdigit() else {})


def _volume(folder: Folder) -> dict[str, float]:
    """Operations, bytes and seconds of the device under a folder, and how long it was busy (Linux, Documentation/admin-guide/
    iostats); time in operations ÷ operations is their latency, ÷ time passed the length of the queue.
    """
    device = _device(folder.path)
    if device is None:
        return {}
    known = (psutil.disk_io_counters(perdisk=True) or {}).get(device)
    if known is None:
        return {}
    figures = {
        "volume_reads": known.read_count, "volume_writes": known.write_count, "volume_read_bytes": known.read_bytes,
        "volume_write_bytes": known.write_bytes, "volume_read_s": known.read_time / 1000, "volume_write_s": known.write_time / 1000,
    }  # fmt: skip
    found = {f"{name}.{folder.name}": float(value) for name, value in figures.items()}
    busy = getattr(known, "busy_time", None)
    if busy is not None:
        kinds = ("data", "log") if folder.purpose == "both" else (folder.purpose,)
        found |= {f"{kind}_volume_busy_s": busy / 1000 for kind in kinds}
    return found


def _device(path: Path) -> str | None:
    """The name of the block device that a folder lies on; None where it is on none."""
    try:
        number = path.stat().st_dev
        return Path(f"/sys/dev/block/{os.major(number)}:{os.minor(number)}").resolve(strict=True).name
    except OSError:
        return None


def settings() -> dict[str, str]:
    """Settings of the machine that databases suffer from, as the system says them; those that it has."""
    found = {name: _text(path) for name, path in SETTINGS.items()}
    choice = found.get("large_pages", "")
    if "[" in choice:  # the one that holds is in brackets
        found["large_pages"] = choice[choice.index("[") + 1 : choice.index("]")]
    return {name: value for name, value in found.items() if value}


def _text(path: str) -> str:
    try:
        return Path(path).read_text(encoding="ascii").strip()
    except (OSError, ValueError):
        return ""


def _line(path: str, name: str) -> str:
    return next((line.split()[1] for line in _text(path).splitlines() if line.startswith(f"{name} ")), "")
