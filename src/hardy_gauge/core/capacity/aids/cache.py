"""The size of the buffer cache, by the kind of work and the storage: no fixed share of memory."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import duration, share, size

TITLE = "Buffer cache"
GIVEN = 0.75  # of memory may be the cache's where it holds all data
GROWS = 1.1
SMALL, LARGE = 0.125, GIVEN
QUARTER = 0.25
FAR = 4.0  # times memory: most pages are read from storage whatever the cache holds
FAST_S = 2e-4
LONG_READ = 65_536.0  # bytes of a read on average: scans


def cache_aid(known: Known) -> SizingAid | Lacking:
    """Holds all data where they fit; otherwise said by what is read, and from what, with sizes to try."""
    cache, memory, data = known.size("buffer_cache_bytes"), known.memory_bytes, known.data_bytes
    if cache is None or memory is None or data is None:
        return Lacking(TITLE, "its size, the memory of its host and the size of its tables are needed")
    facts = [
        Fact("buffer cache", cache, "B", "settings"),
        Fact("of memory", cache / memory, "share", "settings and host"),
        Fact("tables and indexes", data, "B", "schema"),
        Fact("memory of the host", memory, "B", "host"),
    ]
    if known.read_bytes is not None:
        facts.append(Fact("bytes of a read", known.read_bytes, "B", "figures"))
    if known.read_s is not None:
        facts.append(Fact("time of a read", known.read_s, "s", "figures"))
    tried = " and ".join(size(part * memory) for part in (SMALL, LARGE))
    remedy, cautions, undecided = None, list[str](), True
    whole = GROWS * data
    if whole <= GIVEN * memory:
        undecided = False
        if cache >= data:
            sentence = f"The cache of {size(cache)} holds all {size(data)} of tables and indexes."
        else:
            sentence = (
                f"All {size(data)} of tables and indexes fit into memory: a cache of {size(whole)} would hold them."
            )
            remedy = known.change(
                "buffer_cache_bytes", whole, "Give the cache room for all data", "What it takes is missing for sorts: see the memory budget."
            )  # fmt: skip
    elif known.read_bytes is not None and known.read_bytes > LONG_READ:
        sentence = f"Reads are long ({size(known.read_bytes)} each): most are scans, which pass a cache by. A small one does as well, and leaves memory to sorts; try {size(SMALL * memory)} beside the {size(cache)} of today."
    elif data > FAR * memory and known.read_s is not None and known.read_s < FAST_S:
        sentence = f"Data are {data / memory:.0f} times memory, and a read takes {duration(known.read_s)}: the size of the cache hardly matters."
        undecided = False
    elif QUARTER / 2 <= cache / memory <= 1 - QUARTER:
        sentence = f"Data do not fit into memory, and the cache has {share(cache / memory)} of it. Where pages are read through the system's cache they are held twice: much smaller and much larger may both be better; try {tried}."
        cautions = ["A quarter of memory is where to start, not a law; the cache curve shows from which size on more brings little."]  # fmt: skip
    else:
        sentence = f"Data do not fit into memory, and the cache has {share(cache / memory)} of it: the cache curve shows whether another size finds more."
    return SizingAid(
        "cache", TITLE, sentence, facts, f"{GROWS:g} × data where that is at most {share(GIVEN)} of memory; else by kind of work and storage",
        "common practice", "setting/buffer_cache_bytes", cautions, remedy, undecided,
    )  # fmt: skip
