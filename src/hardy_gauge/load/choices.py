"""Where a trial can run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from importlib import resources
from typing import Any

from sqlalchemy import select

from hardy_gauge.errors import NotFound
from hardy_gauge.load.postgres.access import is_postgresql
from hardy_gauge.load.setting_choices import SettingChoice, plain_choice, postgresql_choice
from hardy_gauge.probes.sqlite_settings import SETTINGS
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server, Snapshot
from hardy_gauge.store.servers import is_lab
from hardy_gauge.yaml_text import read_yaml

# documents that ship: two settings of a SQLite file, an index on a PostgreSQL that is made for the trial
SAMPLES = ("library", "library-postgresql")
SQLITE = "a real file made for the trial, on the wall clock"
LAB_POSTGRES = "changed for each run and set back at the end, on the wall clock"
MADE_ROWS = "a PostgreSQL of its objects, with rows made from what the planner of the server knows"
POSTGRES = "made for the trial and gone after it, on the wall clock"


@dataclass(frozen=True)
class TargetChoice:
    """A place where a trial can run, in words, with the settings that an arm can change there; ``changed``: a server that is there, and is set back."""

    kind: str
    name: str
    place: str
    words: str
    settings: list[SettingChoice]
    changed: bool = False


def target_choices(reader: Reader) -> list[TargetChoice]:
    """Lab servers, what can be made after a PostgreSQL of the fleet, and samples. Settings of the PostgreSQL of a sample are those of the
    programs that are found, which are asked for apart.
    """
    found = []
    with reader.store.read() as session:
        for server in session.scalars(select(Server).order_by(Server.name)):
            if server.retired_us is not None:
                continue
            row = session.get(Snapshot, (server.id, "settings"))
            settings, lab = row.body["settings"] if row else [], f"lab server {server.name}"
            if is_postgresql(server):
                tried = [one for one in settings if _can_be_tried(one)]
                if is_lab(server):
                    live = [postgresql_choice(one) for one in tried if "restart" not in one["applies"]]
                    found.append(TargetChoice("server", server.name, lab, LAB_POSTGRES, live, True))
                made = [postgresql_choice(one) for one in tried]
                found.append(TargetChoice("made", server.name, f"made after {server.name}", MADE_ROWS, made))
            elif is_lab(server) and "play" in server.abilities:
                plain = [plain_choice(one) for one in settings]
                found.append(TargetChoice("server", server.name, lab, "plays by events", plain))
    sqlite = [plain_choice(one.model_dump()) for one in SETTINGS.values()]
    return [
        *found,
        TargetChoice("sample", "library", "a SQLite file: library", SQLITE, sqlite),
        TargetChoice("postgresql", "library", "a made PostgreSQL: library", POSTGRES, []),
    ]


def _can_be_tried(setting: Mapping[str, Any]) -> bool:
    """Numbers and choices of the work."""
    ranged = setting["choices"] or setting["minimum"] is not None or isinstance(setting["value"], bool)
    return bool(ranged) and setting["concerns"] == "work"


def sample_document(sample: str) -> dict[str, Any]:
    """The design that ships with a sample file; NotFound when there is no such sample."""
    if sample not in SAMPLES:
        raise NotFound(f"the samples that ship are {' and '.join(SAMPLES)}", "sample", "Unknown sample")
    source = resources.files("hardy_gauge.load") / "samples" / f"{sample}.yaml"
    found: dict[str, Any] = read_yaml(source.read_text(encoding="utf-8"))
    return found
