"""What storage has to give: requests and bytes a second of a busy time, against what was bought."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known, Volume
from hardy_gauge.core.diagnosis.building import remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import figure, share, size

TITLE = "Storage"
ROOM = 1.3
NEAR = 0.85


def storage_aid(known: Known) -> SizingAid | Lacking:
    """Of the volume that is nearest to its limit, and facts of all."""
    if not known.volumes:
        return Lacking(TITLE, "the requests of its volumes are needed; an agent beside the server tells them")
    facts = []
    for one in known.volumes:
        facts.append(
            Fact(f"requests of {one.name} in 95 minutes of 100", one.requests.high, "/s", "figures", one.requests_limit)
        )
        if one.bytes is not None:
            facts.append(
                Fact(f"bytes of {one.name} in 95 minutes of 100", one.bytes.high, "B/s", "figures", one.bytes_limit)
            )
    first = max(known.volumes, key=_used)
    part = _used(first)
    moved = "" if first.bytes is None else f" and {size(ROOM * first.bytes.high)}"
    wanted = f"{figure(ROOM * first.requests.high, '')} requests{moved} a second"
    if first.requests_limit is None and first.bytes_limit is None:
        sentence = f"Volume {first.name} wants storage for {wanted}; what was bought is not known."
    elif part > NEAR:
        sentence = f"Volume {first.name} takes {share(part)} of what was bought in a busy time: it wants {wanted}."
    else:
        sentence = (
            f"Volume {first.name}, the nearest to its limit, takes {share(part)} of what was bought in a busy time."
        )
    change = (
        remedy("capacity", f"Buy {wanted} for volume {first.name}, or read and write less")
        if part > NEAR
        else None
    )  # fmt: skip
    return SizingAid(
        "storage", TITLE, sentence, facts, f"{ROOM:g} × requests and bytes of a busy minute", "common practice", "cause/data_volume_slow",
        ["What is cut by a limit does not show beyond it: a volume that stands at its limit may want more than this."], change,
    )  # fmt: skip


def _used(one: Volume) -> float:
    against = ((one.requests, one.requests_limit), (one.bytes, one.bytes_limit))
    parts = [now.high / limit for now, limit in against if now is not None and limit]
    return max(parts, default=0.0)
