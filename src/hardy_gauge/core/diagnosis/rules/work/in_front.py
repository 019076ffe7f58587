"""What lies between the applications and the server: the network, a pooler, sessions opened instead of used; and credit of a volume."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, costs, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source

LOST = 0.002  # of the packets sent again: common practice, a thousandth is felt
LEAST_SHARE = 0.05
WAITING = 0.5
PART, LEAST_WAITING = 0.1, 0.02  # of the time of calls, in front of the server; calls that wait at least
OPENED_PER_S, TIMES_USUAL = 20.0, 5.0
NO_CREDIT = 0.02


class NetworkSlow(Unasked):
    """Packets are sent again, and sessions wait to send their rows."""

    cause = "network_slow"
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, again = evidence.samples, figure_of(evidence, "network_retransmitted_share")
        assert isinstance(samples, Samples)
        spent = samples.by_family.get("client", Sampled(0.0, 0.0, 0.0))
        if again is None or again.value < LOST or spent.active_sessions < LEAST_SHARE * samples.active_sessions:
            return []
        facts = [against_usual("packets sent again", again, "share", "host")]
        remedies = [remedy("talk", "Show whoever runs the network what is lost between applications and server")]
        return [
            costs(
                evidence,
                self.cause,
                "The network loses packets: calls wait to send their rows",
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.8,
                Signal("figure", "network_retransmitted_share"),
            )
        ]


class PoolerTooSmall(Unasked):
    """Calls wait in the pooler for one of its sessions."""

    cause = "pooler_too_small"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        waiting, size, lost = (figure_of(evidence, n) for n in ("pool_wait_s", "pool_sessions", "pool_timeouts"))
        if waiting is None or size is None:
            return []
        given_up = lost is not None and lost.value > 0
        if waiting.value < WAITING and not given_up and not self._much(evidence, waiting.value):
            return []
        facts = [
            Fact("calls that wait in the pooler", waiting.value, "", "pooler"),
            Fact("its sessions", size.last or size.value, "", "pooler"),
        ]
        facts += [Fact("calls that gave up", lost.value, "/s", "pooler")] if lost is not None else []
        count = (lost.value if lost is not None else 0.0) * max(evidence.covered_s, 1.0)
        remedies = [
            remedy("setting change", "Give the pooler more sessions, up to what the server can work on at once",
                   "More than the cores and the volume can serve only move the queue into the server."),
        ]  # fmt: skip
        grade: Grade = "act" if count else "plan"
        return [
            warns(
                self.cause,
                "Calls wait in the pooler in front of the server",
                Subject("server", evidence.server),
                grade,
                facts,
                remedies,
                0.85,
                Impact(count, count, count, "calls"),
                Signal("figure", "pool_wait_s"),
            )
        ]

    def _much(self, evidence: Evidence, waiting: float) -> bool:
        """Few calls wait, but those that come spend a good part of their time so."""
        worked = figure_of(evidence, "time_s")
        return waiting >= LEAST_WAITING and worked is not None and waiting >= PART * (waiting + worked.value)


class ConnectionStorm(Unasked):
    """Far more sessions are opened than usual."""

    cause = "connection_storm"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        opened = figure_of(evidence, "connections_opened")
        if opened is None or opened.value < OPENED_PER_S or (opened.ratio is not None and opened.ratio < TIMES_USUAL):
            return []
        facts = [against_usual("sessions opened", opened, "/s", "counters")]
        remedies = [
            remedy("talk", "Let applications keep their sessions, and wait longer each time before they try again")
        ]
        return [
            warns(
                self.cause,
                "Sessions are opened again and again instead of being used",
                Subject("server", evidence.server),
                "act",
                facts,
                remedies,
                0.85,
                signal=Signal("figure", "connections_opened"),
            )
        ]


class BurstCreditUsedUp(Unasked):
    """The credit of a volume is used up: it is held to its lasting limit."""

    cause = "burst_credit_used_up"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.figures, Mapping)
        found = []
        for name, figure in evidence.figures.items():
            if name.startswith("volume_credit_share.") and figure.last is not None and figure.last <= NO_CREDIT:
                volume = name.partition(".")[2]
                facts = [Fact("credit left", figure.last, "share", "host", figure.usual)]
                remedies = [
                    remedy("talk", "Move the job that reads so much to quieter hours, or slow it down"),
                    remedy("capacity", f"Rent volume {volume} with a higher lasting limit"),
                ]
                title = f"The credit of volume {volume} is used up: it is as slow as its lasting limit"
                found.append(
                    warns(
                        self.cause,
                        title,
                        Subject("volume", volume),
                        "act",
                        facts,
                        remedies,
                        0.85,
                        signal=Signal("figure", name),
                    )
                )
        return found


class LogKept(Unasked):
    """Log is kept for a replica that takes none."""

    cause = "log_kept_for_lost_replica"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.figures, Mapping)
        found = []
        for name, figure in evidence.figures.items():
            if (
                name.startswith("log_kept_bytes.")
                and (figure.last or 0.0) > 64 * 2**20
                and (figure.per_day is None or figure.per_day > 0)
            ):
                replica = name.partition(".")[2]
                facts = [Fact(f"log kept for {replica}", figure.last or 0.0, "B", "counters")]
                facts += [Fact("more each day", figure.per_day, "B", "counters")] if figure.per_day is not None else []
                remedies = [
                    remedy(
                        "operation", f"Bring {replica} back, or give its place up", "Given up, it has to be made anew."
                    )
                ]
                found.append(
                    warns(
                        self.cause,
                        f"Log is kept for {replica}, which does not take it",
                        Subject("server", evidence.server),
                        "plan",
                        facts,
                        remedies,
                        0.85,
                        signal=Signal("figure", name),
                    )
                )
        return found
