"""What it costs to diagnose 200 servers: the demo's 22 with five weeks of history, each recorded under nine names and more.

A round diagnoses every server once. The first learns usual ranges, which holds for an hour; the next are what each minute costs: ten of
them, a minute apart, since what is typical of statements is computed anew every ten minutes.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from typing import cast

from sqlalchemy import text

from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.diagnose.scenario_play import Clock, recorded
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.database import Store
from practice_fleet.scenario.reading import load_scenario, shipped

SERVERS, ROUNDS = 200, 10
NOW = 1_795_521_600_000_000  # a Tuesday noon
# rows of a server that are copied under its other names
OF_A_SERVER = ("capture_state", "snapshot", "change", "gap", "segment", "plan")


def measure() -> dict[str, float]:
    scenario = load_scenario(shipped("quillhaven"))
    names = [server.name for cluster in scenario.clusters for server in cluster.servers]
    with tempfile.TemporaryDirectory(dir="/dev/shm") as folder, recorded(scenario, Path(folder), NOW, names) as reader:
        copied(reader.store, SERVERS)
        first, seconds = round_s(reader)
        clock, rounds = cast(Clock, reader.clock), []
        for _ in range(ROUNDS):
            clock.us += MINUTE_US
            rounds.append(round_s(reader)[0])
        again, busiest = sum(rounds) / ROUNDS, max(seconds)
    return {
        "servers": SERVERS, "first_round_processor_s": first, "next_round_processor_s": again, "dearest_round_processor_s": max(rounds), "share_of_a_core_each_minute": again / 60,
        "slowest_server_s": busiest,
    }  # fmt: skip


def copied(store: Store, servers: int) -> None:
    """Each server under further names, in clusters of the same size, with all that is recorded of it, until there are so many."""
    with store.write() as session:
        known = session.execute(text("SELECT id FROM server ORDER BY id")).scalars().all()
        columns = {
            table: [
                row[1]
                for row in session.execute(text(f"PRAGMA table_info({table})"))
                if row[1] not in ("id", "server_id")
            ]
            for table in ("server", *OF_A_SERVER)
        }
        for number in range(len(known), servers):
            origin = known[number % len(known)]
            rest = ", ".join(c for c in columns["server"] if c not in ("name", "address", "cluster_id"))
            home = f"(SELECT name FROM cluster WHERE id = cluster_id) || '-{number // len(known)}'"
            session.execute(
                text(f"INSERT OR IGNORE INTO cluster (name) SELECT {home} FROM server WHERE id = :origin"),
                {"origin": origin},
            )
            session.execute(
                text(
                    f"INSERT INTO server (name, address, cluster_id, {rest}) SELECT name || '-{number}', address || '/{number}', "
                    f"(SELECT id FROM cluster WHERE name = {home}), {rest} FROM server WHERE id = :origin"
                ),
                {"origin": origin},
            )
            copy = session.execute(text("SELECT max(id) FROM server")).scalar_one()
            for table in OF_A_SERVER:
                names = ", ".join(columns[table])
                session.execute(
                    text(f"INSERT INTO {table} (server_id, {names}) SELECT :copy, {names} FROM {table} WHERE server_id = :origin"),
                    {"copy": copy, "origin": origin},
                )  # fmt: skip


def round_s(reader: Reader) -> tuple[float, list[float]]:
    """Processor seconds of one round, and what each server took."""
    began, seconds = time.process_time(), []
    for server in servers_in(reader, "fleet"):
        at = time.process_time()
        diagnose_server(reader, server)
        seconds.append(time.process_time() - at)
    return time.process_time() - began, seconds
