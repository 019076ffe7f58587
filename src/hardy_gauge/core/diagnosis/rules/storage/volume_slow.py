"""Volumes that answer more slowly for no more requests: by themselves, or because others ask the same storage.

By the utilisation law (busy = requests × time of service) a volume that serves more slowly is busy for longer; where only the waiting
grew and the volume is no busier with this server's own requests, somebody else's are in front of them.
"""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, costs, figure_of, remedy, started
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source
from hardy_gauge.core.evidence.sources import RecordedFigure
from hardy_gauge.core.remedies.remedy import Remedy

SLOWER = 1.5
MORE = 1.4  # requests ÷ usual, from which on it is more work and not a slower volume
LEAST_SHARE = 0.05
AS_BUSY = 1.25  # busy time ÷ usual, up to which it is not the service that is slower


class _VolumeSlow(Unasked):
    cause = ""
    families: tuple[str, ...] = ()
    volume, busy = "", ""
    words = ""
    of_others = False
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples = evidence.samples
        assert isinstance(samples, Samples)
        spent = _spent(samples, self.families)
        if spent.active_sessions < LEAST_SHARE * samples.active_sessions:
            return []
        if started(evidence):
            return []  # what is read after a start is read in bursts
        slowest = max(
            (one for kind in ("read", "write") if (one := self._slow(evidence, kind)) is not None),
            key=lambda one: one[1].ratio or 0.0, default=None,
        )  # fmt: skip
        if slowest is None:
            return []
        name, latency, requests = slowest
        busy = figure_of(evidence, self.busy)
        others = busy is not None and busy.ratio is not None and busy.ratio < AS_BUSY
        if others != self.of_others:
            return []
        facts = [
            against_usual("time of one request", latency, "s", "host"),
            against_usual("requests", requests, "/s", "host"),
        ]
        if busy is not None:
            facts.append(against_usual("busy with its own requests", busy, "", "host"))
        return [
            costs(
                evidence, self.cause, self.words, Subject("volume", self.volume), spent, facts, self.remedies(), 0.75,
                Signal("figure", name),
            )
        ]  # fmt: skip

    def _slow(self, evidence: Evidence, kind: str) -> tuple[str, RecordedFigure, RecordedFigure] | None:
        """The latency of reads or of writes, where it is up and their number is not."""
        name = f"volume_{kind}_latency_s.{self.volume}"
        latency, requests = figure_of(evidence, name), figure_of(evidence, f"volume_{kind}s.{self.volume}")
        if latency is None or requests is None or latency.ratio is None or latency.ratio < SLOWER:
            return None
        return None if requests.ratio is not None and requests.ratio > MORE else (name, latency, requests)

    def remedies(self) -> list[Remedy]:
        return [
            remedy("talk", f"Ask who runs the storage of the {self.volume} volume what changed, and who shares it"),
            remedy("capacity", f"Move the {self.volume} volume to faster storage", "It is slower while it is moved."),
        ]


def _spent(samples: Samples, families: tuple[str, ...]) -> Sampled:
    mine = [samples.by_family[name] for name in families if name in samples.by_family]
    return Sampled(
        sum(one.active_sessions for one in mine), sum(one.low for one in mine), sum(one.high for one in mine)
    )


class DataVolumeSlow(_VolumeSlow):
    cause = "data_volume_slow"
    families, volume, busy = ("data read", "data write"), "data", "data_volume_busy_s"
    words = "The data volume answers more slowly, for no more requests than usual"


class VolumeShared(DataVolumeSlow):
    """The service is as fast as ever, and requests wait: others are in front of them."""

    cause = "volume_shared"
    of_others = True
    words = "Requests to the data volume wait behind those of others, who share its storage"

    def remedies(self) -> list[Remedy]:
        return [
            remedy(
                "talk",
                "Find who shares the storage and asks so much of it; slow it down, or let it run at another time",
            ),
            remedy("capacity", "Move the data volume to storage of its own", "It is slower while it is moved."),
        ]


class LogVolumeSlow(_VolumeSlow):
    cause = "log_volume_slow"
    families, volume = ("log write",), "log"
    words = "The log volume answers more slowly: every commit waits"
