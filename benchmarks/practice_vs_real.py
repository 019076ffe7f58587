"""Six troubles in a real PostgreSQL and in the practice fleet with like work: how the same figures move, side by side.

``python -m benchmarks.practice_vs_real`` writes docs/practice-fleet-vs-real.md. Both are read through the probe protocol, as the
product reads them. What is compared is how figures change, not how large they are: the machines differ.
"""

from __future__ import annotations

import queue
import random
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import psycopg
from tests.postgres import running_postgres
from tests.practice.shelf import NOW, document

from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.protocol import Counters, Sessions, StatementCounters
from hardy_gauge.probes.wait_map import wait_map
from practice_fleet.fleet import Fleet
from practice_fleet.live import LiveServer
from practice_fleet.scenario.document import Scenario

DOC = Path(__file__).parents[1] / "docs" / "practice-fleet-vs-real.md"
ROWS, PLACES, HOT = 400_000, 9_000, 50
SECONDS, WORKERS = 40, 60
MINUTE_US = 60_000_000
FIND = "SELECT id, blurb FROM book WHERE place = $1"
READ = "UPDATE book SET times_read = times_read + 1 WHERE id = $1"
SORT = "SELECT id, blurb FROM book WHERE place < $1 ORDER BY times_read"
WIDE = "SELECT * FROM book WHERE place >= $1"
RATES = {"find_book": 8.0, "count_reading": 25.0, "sorted_books": 1.0}
BUSY = 300.0  # changes per second where one row is to be hot


@dataclass
class Figures:
    """What was read of a server over a span: calls, time, rows and pages by statement, and what its sessions did."""

    calls: dict[str, float] = field(default_factory=dict)
    time_s: dict[str, float] = field(default_factory=dict)
    rows: dict[str, float] = field(default_factory=dict)
    pages: dict[str, float] = field(default_factory=dict)
    errors_share: float = 0.0
    temporary_bytes: float = 0.0
    blocked: float = 0.0
    most_blocked: float = 0.0
    holders: float = 0.0
    families: dict[str, float] = field(default_factory=dict)

    def per_call(self, name: str, statement: str) -> float:
        calls = self.calls.get(statement, 0.0)
        values: dict[str, float] = getattr(self, name)
        return values.get(statement, 0.0) / calls if calls else 0.0


def statement_of(text: str) -> str | None:
    """Which of the statements of both worlds a text is."""
    low = " ".join(text.lower().split())
    if low.startswith("update book set times_read"):
        return "count_reading"
    if "order by times_read" in low:
        return "sorted_books"
    return "find_book" if "from book where place" in low else None


def read_over(
    counters: Callable[[], Counters],
    statements: Callable[[], StatementCounters],
    looks: Iterator[Sessions],
    engine: str,
) -> Figures:
    """Figures of the span in which the looks at sessions are taken, once a second."""
    before, first = counters(), statements()
    found, seen = Figures(), 0
    families: dict[str, float] = {}
    for look in looks:
        seen += 1
        blocked = sum(bool(s.waits_for()) or wait_map(engine).family(s.wait_event) == "row lock" for s in look.sessions)
        found.blocked += blocked
        found.most_blocked = max(found.most_blocked, blocked)
        found.holders += len(look.holders)
        for session in look.sessions:
            family = wait_map(engine).family(session.wait_event)
            families[family] = families.get(family, 0.0) + 1
    after, last = counters(), statements()
    found.blocked, found.holders = found.blocked / seen, found.holders / seen
    found.families = {name: count / seen for name, count in families.items()}
    old = {s.key: s for s in first.statements}
    for new in last.statements:
        key, was = statement_of(new.text), old.get(new.key)
        if key is None:
            continue
        for into, name in (
            (found.calls, "calls"),
            (found.time_s, "time_s"),
            (found.rows, "rows_returned"),
            (found.pages, "pages_requested"),
        ):
            into[key] = into.get(key, 0.0) + (getattr(new, name) or 0.0) - ((getattr(was, name) or 0.0) if was else 0.0)
    passed = (after.at_us - before.at_us) / 1e6
    found.temporary_bytes = (
        after.values.get("temporary_bytes", 0.0) - before.values.get("temporary_bytes", 0.0)
    ) / passed
    failed = after.values.get("errors", after.values.get("rollbacks", 0.0)) - before.values.get(
        "errors", before.values.get("rollbacks", 0.0)
    )
    found.errors_share = failed / max(sum(found.calls.values()) + failed, 1.0)
    return found


# the practice server --------------------------------------------------------------------------------


def practice(trouble: dict[str, Any] | None, busy: float = 0.0) -> Figures:
    """A practice server with the same table and work, ``trouble`` on since a minute; ``busy`` is how often rows are changed."""
    made = document()
    table = made["databases"]["shelf"]["tables"]["book"]
    table["rows"], table["columns"]["id"]["distinct"], table["columns"]["place"]["distinct"] = ROWS, ROWS, PLACES
    table["columns"]["blurb"]["distinct"] = ROWS
    statements = made["databases"]["shelf"]["statements"]
    statements["count_reading"] |= {"hot_rows": HOT, "rate": busy or RATES["count_reading"]}
    statements["find_book"]["rate"] = RATES["find_book"]
    statements["sorted_books"] = {
        "sql": SORT, "service": "catalogue", "user": "reader", "rate": RATES["sorted_books"], "rhythm": "day", "matching_rows": ROWS // 20,
    }  # fmt: skip
    made["rhythms"]["day"]["hours"] = [1.0] * 24
    made["clusters"][0]["host"] |= {"cores": 2, "memory": "8 GiB"}
    made["clusters"][0]["host"]["data_volume"]["latency_s"] = 0.0004
    settings = {"buffer_cache_bytes": 134217728, "sort_memory_bytes": 64 * 2**20}
    made["clusters"][0]["settings"] = settings | made["clusters"][0]["settings"]
    made["troubles"] = [trouble | {"servers": ["shelf-a"], "start_minutes_ago": 0}] if trouble else []
    live = LiveServer(Fleet(Scenario.model_validate(made), NOW).histories["shelf-a"], NOW)
    clock = [NOW + MINUTE_US]

    def looks() -> Iterator[Sessions]:
        for _ in range(240):
            clock[0] += 1_000_000
            yield live.sessions(clock[0])

    return read_over(lambda: live.counters(clock[0]), lambda: live.statements(clock[0]), looks(), "practice")


# the real server ------------------------------------------------------------------------------------


@dataclass
class Work:
    """What the clients of the real server call; a trouble changes it."""

    place: Callable[[], int] = lambda: random.randrange(PLACES)
    row: Callable[[], int] = lambda: random.randrange(1, HOT + 1)
    find: str = "SELECT id, blurb FROM book WHERE place = %s"
    width: int = 0
    failing: float = 0.0
    busy: float = 0.0
    sort_memory: str = "64MB"


class Clients:
    """Calls at given rates from a pool of threads, Poisson arrivals, whatever the server takes for each."""

    def __init__(self, dsn: str) -> None:
        self.dsn, self.work = dsn, Work()
        self.calls: queue.SimpleQueue[str | None] = queue.SimpleQueue()
        self.ended = threading.Event()
        self.threads = [threading.Thread(target=self._serve) for _ in range(WORKERS)]
        self.threads += [threading.Thread(target=self._arrive, args=(name, rate)) for name, rate in RATES.items()]
        for thread in self.threads:
            thread.start()

    def _arrive(self, name: str, rate: float) -> None:
        while not self.ended.wait(
            random.expovariate(self.work.busy if self.work.busy and name == "count_reading" else rate)
        ):
            self.calls.put(name)

    def _serve(self) -> None:
        with psycopg.connect(self.dsn, autocommit=True, application_name="catalogue") as session:
            memory = ""
            while (name := self.calls.get()) is not None:
                work = self.work
                if memory != work.sort_memory:
                    session.execute(f"SET work_mem = '{work.sort_memory}'")
                    memory = work.sort_memory
                try:
                    if name == "find_book":
                        values = [work.place()] if not work.width else [(p := work.place()), p + work.width]
                        session.execute(work.find, values).fetchall()
                    elif name == "sorted_books":
                        session.execute(SORT.replace("$1", "%s"), [PLACES // 20]).fetchall()
                    else:
                        more = 3_000_000_000 if random.random() < work.failing else 1
                        session.execute(
                            "UPDATE book SET times_read = times_read + %s WHERE id = %s", [more, work.row()]
                        )
                except psycopg.Error:
                    continue

    def stop(self) -> None:
        self.ended.set()
        for _ in range(WORKERS):
            self.calls.put(None)
        for thread in self.threads:
            thread.join(30)


@contextmanager
def shelf() -> Iterator[tuple[psycopg.Connection, Any, Clients]]:
    """A real server with the table of books, somebody who looks at it, and its clients."""
    options = "-c fsync=on -c shared_preload_libraries=pg_stat_statements -c track_io_timing=on -c shared_buffers=128MB -c max_connections=80"
    with running_postgres(options) as owner:
        owner.execute("CREATE EXTENSION pg_stat_statements")
        owner.execute(
            "CREATE TABLE book AS SELECT i::bigint AS id, (random() * %s)::bigint AS place, 0::int AS times_read, repeat(md5(i::text), 6) AS blurb "
            "FROM generate_series(1, %s) i",
            [PLACES, ROWS],
        )
        owner.execute("ALTER TABLE book ADD PRIMARY KEY (id)")
        owner.execute("CREATE INDEX book_place ON book (place)")
        owner.execute("VACUUM ANALYZE book")
        probe = open_probe(
            f"postgresql:///postgres?host={owner.info.host}&port={owner.info.port}", Credential("postgres", "")
        )
        clients = Clients(owner.info.dsn)
        try:
            time.sleep(8)
            yield owner, probe, clients
        finally:
            clients.stop()
            probe.close()


def real(probe: Any) -> Figures:
    def looks() -> Iterator[Sessions]:
        for _ in range(SECONDS):
            time.sleep(1)
            yield probe.sessions()

    return read_over(probe.counters, probe.statements, looks(), "postgresql")


class Idler(threading.Thread):
    """A session that changes the hot rows and then does nothing: two seconds of each twenty."""

    def __init__(self, dsn: str) -> None:
        super().__init__()
        self.dsn, self.ended = dsn, threading.Event()

    def run(self) -> None:
        with psycopg.connect(self.dsn) as session:
            while not self.ended.is_set():
                session.execute("UPDATE book SET times_read = times_read WHERE id <= %s", [HOT])
                self.ended.wait(2)
                session.rollback()
                self.ended.wait(18)


def real_troubles() -> dict[str, Figures]:
    """The figures of the real server without trouble, and in each of the six."""
    found = {}
    with shelf() as (owner, probe, clients):
        found["none"] = real(probe)

        def with_work(name: str, work: Work) -> None:
            clients.work = work
            time.sleep(3)
            found[name] = real(probe)
            clients.work = Work()
            time.sleep(3)

        with_work("busy", Work(busy=BUSY))
        with_work("hot_row", Work(row=lambda: 1, busy=BUSY))
        with_work("failing_statement", Work(failing=0.3))
        with_work("over_fetch", Work(find="SELECT id, blurb FROM book WHERE place >= %s AND place < %s", width=20))
        with_work("sort_spills", Work(sort_memory="256kB"))
        idler = Idler(owner.info.dsn)
        idler.start()
        with_work("idle_transaction", Work())
        idler.ended.set()
        idler.join()
        owner.execute("DROP INDEX book_place")
        with_work("missing_index", Work())
    return found


def practice_troubles() -> dict[str, Figures]:
    every = 20.0
    return {
        "none": practice(None),
        "busy": practice(None, BUSY),
        "hot_row": practice({"cause": "hot_row", "statement": "count_reading", "size": 1}, BUSY),
        "failing_statement": practice({"cause": "failing_statement", "statement": "count_reading", "size": 0.3}),
        "over_fetch": practice({"cause": "over_fetch", "statement": "find_book", "size": ROWS / PLACES * 20}),
        "sort_spills": practice({"cause": "sort_spills", "size": 256 * 1024}),
        "idle_transaction": practice(
            {"cause": "idle_transaction", "statement": "count_reading", "lasts_s": 2, "size": 2 * 2 / 2 / every}
        ),
        "missing_index": practice({"cause": "missing_index", "index": "book_place"}),
    }


SHOWN: dict[str, list[tuple[str, Callable[[Figures], float], str]]] = {
    "missing_index": [
        ("time per call of find_book", lambda f: f.per_call("time_s", "find_book"), "s"),
        ("pages requested per call", lambda f: f.per_call("pages", "find_book"), ""),
        ("rows returned per call", lambda f: f.per_call("rows", "find_book"), ""),
        ("sessions on the processor", lambda f: f.families.get("processor", 0.0), ""),
    ],
    "hot_row": [
        ("time per call of count_reading", lambda f: f.per_call("time_s", "count_reading"), "s"),
        ("sessions that wait for rows", lambda f: f.blocked, ""),
        ("sessions that idle in a transaction", lambda f: f.holders, ""),
    ],
    "idle_transaction": [
        ("time per call of count_reading", lambda f: f.per_call("time_s", "count_reading"), "s"),
        ("sessions that wait for rows", lambda f: f.blocked, ""),
        ("most of them at one look", lambda f: f.most_blocked, ""),
        ("sessions that idle in a transaction", lambda f: f.holders, ""),
    ],
    "sort_spills": [
        ("time per call of sorted_books", lambda f: f.per_call("time_s", "sorted_books"), "s"),
        ("temporary bytes per second", lambda f: f.temporary_bytes, "B"),
    ],
    "failing_statement": [
        ("share of calls that fail", lambda f: f.errors_share, ""),
        ("time per call of find_book", lambda f: f.per_call("time_s", "find_book"), "s"),
    ],
    "over_fetch": [
        ("rows returned per call", lambda f: f.per_call("rows", "find_book"), ""),
        ("time per call of find_book", lambda f: f.per_call("time_s", "find_book"), "s"),
        ("pages requested per call", lambda f: f.per_call("pages", "find_book"), ""),
    ],
}
HEAD = """# The practice fleet beside a real server

Made by `python -m benchmarks.practice_vs_real`: the same table (400,000 books), the same three statements at the same rates, and
six troubles, in a PostgreSQL that the script starts and in a practice server. Both are read through the probe protocol. The
machines differ, so what is compared is how a figure changes ("÷ before"), not how large it is. "Differs" marks changes that are
more than three times apart.

"""


def figure(value: float, unit: str) -> str:
    if unit == "s":
        return f"{value * 1000:,.2f} ms"
    return f"{value / 1e6:,.2f} MB" if unit == "B" else f"{value:,.3g}"


def ratio(before: float, after: float) -> float | None:
    return after / before if before > 1e-9 else None


def table(simulated: dict[str, Figures], measured: dict[str, Figures]) -> str:
    """One table for each trouble, and a last line that names what differs."""
    blocks = []
    for name, rows in SHOWN.items():
        lines = [
            f"## `{name}`", "", "| figure | practice: before, in trouble | ÷ before | real: before, in trouble | ÷ before | |",
            "|---|---|---|---|---|---|",
        ]  # fmt: skip
        for title, of, unit in rows:
            before = "busy" if name == "hot_row" else "none"
            pairs = [(of(world[before]), of(world[name])) for world in (simulated, measured)]
            changes = [ratio(*pair) for pair in pairs]
            cells = []
            for (was, now), change in zip(pairs, changes, strict=True):
                cells += [
                    f"{figure(was, unit)}, {figure(now, unit)}",
                    "from nothing" if change is None else f"{change:,.2f}",
                ]
            both = [change for change in changes if change is not None]
            apart = len(both) == 2 and min(both) > 0 and max(both) / min(both) > 3
            lines.append(f"| {title} | {' | '.join(cells)} | {'differs' if apart else ''} |")
        blocks.append("\n".join(lines))
    return "\n\n".join(blocks)


def main() -> None:
    random.seed(7)
    simulated = practice_troubles()
    text = HEAD + table(simulated, real_troubles()) + "\n"
    kept = DOC.read_text(encoding="utf-8").partition("\n## What differs, and why\n") if DOC.exists() else ("", "", "")
    DOC.write_text(text + kept[1] + kept[2], encoding="utf-8")
    sys.stdout.write(text)


if __name__ == "__main__":
    main()
