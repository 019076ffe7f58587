"""Where a trial can run."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources
from typing import Any

from sqlalchemy import select

from hardy_gauge.errors import NotFound
from hardy_gauge.probes.sqlite_settings import SETTINGS
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.trials import LAB
from hardy_gauge.store.models import Server, Snapshot
from hardy_gauge.yaml_text import read_yaml

# documents that ship: two settings of a SQLite file, an index on a PostgreSQL that is made for the trial
SAMPLES = ("library", "library-postgresql")
POSTGRES = "a PostgreSQL made for the trial and gone after it, on the wall clock"


@dataclass(frozen=True)
class TargetChoice:
    """A place where a trial can run, with the settings that an arm can change there."""

    kind: str
    name: str
    words: str
    settings: list[dict[str, Any]]


def target_choices(reader: Reader) -> list[TargetChoice]:
    """Lab servers that play workloads, and a real SQLite file."""
    found = []
    with reader.store.read() as session:
        for server in session.scalars(select(Server).order_by(Server.name)):
            if "play" in server.abilities and server.cluster.name == LAB:
                row = session.get(Snapshot, (server.id, "settings"))
                settings = row.body["settings"] if row else []
                found.append(TargetChoice("server", server.name, "lab server, plays by events", settings))
    sqlite = [s.model_dump() for s in SETTINGS.values()]
    words = "a real SQLite file made for the trial, on the wall clock"
    return [
        *found,
        TargetChoice("sample", "library", words, sqlite),
        TargetChoice("postgresql", "library", POSTGRES, []),
    ]


def sample_document(sample: str) -> dict[str, Any]:
    """The design that ships with a sample file; NotFound when there is no such sample."""
    if sample not in SAMPLES:
        raise NotFound(f"the samples that ship are {' and '.join(SAMPLES)}", "sample", "Unknown sample")
    source = resources.files("hardy_gauge.load") / "samples" / f"{sample}.yaml"
    found: dict[str, Any] = read_yaml(source.read_text(encoding="utf-8"))
    return found
