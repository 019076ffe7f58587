"""Looking at a server's tables, indexes and sequences each minute, and at its schema when that changed."""

from __future__ import annotations

from dataclasses import dataclass, field

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.capture.object_intervals import ObjectIntervals, objects_of_schema, sequences_used
from hardy_gauge.probes import protocol as p


@dataclass
class SchemaLooks:
    """Of one server. ``levels`` are those that follow from the last look, ``database`` the one that was looked at."""

    probe: p.Probe
    backoff: Backoff
    intervals: ObjectIntervals = field(default_factory=ObjectIntervals)
    levels: dict[str, float] = field(default_factory=dict)
    database: str = ""
    _marker: str | None = None
    _tables: list[p.Table] | None = None

    def look(self, abilities: set[str], now_us: int) -> p.Schema | None:
        """Take a look; the schema where it is new or changed. ProbeError when something could not be asked."""
        if "objects" in abilities:
            return self._objects("schema" in abilities, now_us)
        if "schema" not in abilities:
            return None
        schema = self.backoff.timed(self.probe.schema)
        self.intervals.look(objects_of_schema(schema), now_us)
        return self._changed(schema)

    def _objects(self, with_schema: bool, now_us: int) -> p.Schema | None:
        answer, changed = self.backoff.timed(self.probe.objects), None
        self.intervals.look(answer, now_us)
        self.levels = sequences_used(answer.sequences)
        if with_schema and (not answer.schema_marker or answer.schema_marker != self._marker):
            changed = self._changed(self.backoff.timed(self.probe.schema))
            self._marker = answer.schema_marker
        return changed

    def _changed(self, schema: p.Schema) -> p.Schema | None:
        before, self._tables, self.database = self._tables, schema.tables, schema.database
        return schema if schema.tables != before else None
