"""A volume answers more slowly than it did, for about as many requests: not more reads, but slower ones."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, costs, figure_of, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source

SLOWER = 1.8
MORE = 1.4  # requests ÷ usual, from which on it is more work and not a slower volume
LEAST_SHARE = 0.05


class _VolumeSlow(Unasked):
    cause = ""
    family = ""
    latency, requests, volume = "", "", ""
    words = ""
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, latency, requests = (
            evidence.samples,
            figure_of(evidence, self.latency),
            figure_of(evidence, self.requests),
        )
        assert isinstance(samples, Samples)
        spent = samples.by_family.get(self.family, Sampled(0.0, 0.0, 0.0))
        if latency is None or requests is None or latency.ratio is None or latency.ratio < SLOWER:
            return []
        if (
            requests.ratio is not None and requests.ratio > MORE
        ) or spent.active_sessions < LEAST_SHARE * samples.active_sessions:
            return []
        facts = [
            Fact("time of one request", latency.value, "s", "host", latency.typical.value if latency.typical else None),
            Fact("requests", requests.value, "/s", "host", requests.typical.value if requests.typical else None),
        ]
        remedies = [
            remedy("talk", f"Ask who runs the storage of the {self.volume} volume what changed, and who shares it"),
            remedy("capacity", f"Move the {self.volume} volume to faster storage"),
        ]
        return [
            costs(
                evidence,
                self.cause,
                self.words,
                Subject("volume", self.volume),
                spent,
                facts,
                remedies,
                0.75,
                Signal("figure", self.latency),
            )
        ]


class DataVolumeSlow(_VolumeSlow):
    cause = "data_volume_slow"
    family, volume = "data read", "data"
    latency, requests = "volume_read_latency_s.data", "volume_reads.data"
    words = "The data volume answers more slowly, for no more requests than usual"


class LogVolumeSlow(_VolumeSlow):
    cause = "log_volume_slow"
    family, volume = "log write", "log"
    latency, requests = "volume_write_latency_s.log", "volume_writes.log"
    words = "The log volume answers more slowly: every commit waits"
