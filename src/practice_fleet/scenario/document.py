"""A whole scenario: clusters, databases, rhythms and the time line of troubles, checked against each other."""

from __future__ import annotations

from datetime import date
from typing import Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import Field, field_validator, model_validator

from practice_fleet.scenario.clusters import ClusterSpec, DatabaseSpec, ServerSpec
from practice_fleet.scenario.units import Misplaced, Part
from practice_fleet.scenario.work import RhythmSpec
from practice_fleet.troubles import Trouble

SHARED_FIGURES = {"channels", "latency_s", "stream_bytes_per_s", "operations_per_s_limit", "bytes_per_s_limit"}


class Scenario(Part):
    """The fleet, what it serves, and what goes wrong. Times are minutes before the first start; rates are per second."""

    name: str
    seed: int = Field(ge=0, description="the same seed gives the same figures, byte for byte")
    history_days: float = Field(
        gt=0, le=60, description="days of counters and statement figures before the first start"
    )
    sample_history_days: float = Field(gt=0, le=60, description="days of session samples before the first start")
    engine_version: str = "1.4"
    time_zone: str = Field(
        "UTC", description="where people live: an IANA name such as Europe/Lisbon; rhythms follow its clocks"
    )
    holidays: list[date] = Field(default_factory=list, description="days on which nobody works, as 2026-12-25")
    messages: Literal["shown", "hidden"] = Field("shown", description="hidden: the servers write nothing to their logs")
    clusters: list[ClusterSpec] = Field(min_length=1)
    databases: dict[str, DatabaseSpec] = Field(min_length=1)
    rhythms: dict[str, RhythmSpec] = Field(min_length=1)
    troubles: list[Trouble] = Field(default_factory=list)

    def servers(self) -> dict[str, tuple[ClusterSpec, ServerSpec]]:
        return {server.name: (cluster, server) for cluster in self.clusters for server in cluster.servers}

    def database_of(self, server: str) -> DatabaseSpec:
        """What a server serves; a copy serves what its original does."""
        cluster, spec = self.servers()[server]
        return self.databases[cluster.database] if spec.copy_of is None else self.database_of(spec.copy_of)

    @field_validator("time_zone")
    @classmethod
    def _is_a_zone(cls, name: str) -> str:
        try:
            ZoneInfo(name)
        except (ZoneInfoNotFoundError, ValueError, OSError) as error:
            raise ValueError("an IANA time zone was expected, such as Europe/Lisbon or UTC") from error
        return name

    @model_validator(mode="after")
    def _names_agree(self) -> Scenario:
        names = [server.name for cluster in self.clusters for server in cluster.servers]
        for i, cluster in enumerate(self.clusters):
            if cluster.database not in self.databases:
                words = f"no database '{cluster.database}'; there are {', '.join(self.databases)}"
                raise Misplaced(words, "clusters", i, "database")
            for j, server in enumerate(cluster.servers):
                here = ("clusters", i, "servers", j)
                if names.count(server.name) > 1:
                    raise Misplaced(f"server {server.name} is named more than once", *here, "name")
                if server.copy_of is not None and server.copy_of not in names:
                    raise Misplaced(f"no server '{server.copy_of}'; there are {', '.join(names)}", *here, "copy_of")
        self._storage_agrees()
        for name, database in self.databases.items():
            for key, statement in database.statements.items():
                if statement.rhythm not in self.rhythms:
                    words = f"no rhythm '{statement.rhythm}'; there are {', '.join(self.rhythms)}"
                    raise Misplaced(words, "databases", name, "statements", key, "rhythm")
        for number, trouble in enumerate(self.troubles):
            if unknown := [server for server in trouble.servers if server not in names]:
                words = f"no server {', '.join(unknown)}; there are {', '.join(names)}"
                raise Misplaced(words, "troubles", number, "servers")
            for target in trouble.servers:
                try:
                    trouble.check(self.database_of(target))
                except ValueError as error:
                    raise Misplaced(f"{error} (on {target})", "troubles", number) from error
        return self

    def _storage_agrees(self) -> None:
        """What is said of one storage must be the same wherever it is used."""
        seen: dict[str, tuple[str, dict[str, object]]] = {}
        for number, cluster in enumerate(self.clusters):
            volume = cluster.host.data_volume
            if volume.shared_as is None:
                continue
            figures = volume.model_dump(include=SHARED_FIGURES)
            name, first = seen.setdefault(volume.shared_as, (cluster.name, figures))
            if wrong := sorted(key for key in figures if figures[key] != first[key]):
                words = f"storage {volume.shared_as}: cluster {cluster.name} gives other {', '.join(wrong)} than {name}"
                raise Misplaced(words, "clusters", number, "host", "data_volume")
