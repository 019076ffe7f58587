"""Members of a partitioned cluster: one is down, they disagree, the load is uneven, one partition is hot."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, figure_of, remedy, since, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Signal, Subject, SubjectKind
from hardy_gauge.core.diagnosis.rules.cluster.not_answering import not_answering
from hardy_gauge.core.diagnosis.runner import CannotTell
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.remedies.remedy import Remedy

ON_PURPOSE = ("asked for by", "requested", "planned", "maintenance", "administrator")
MOVING = ("partitions_coming", "partitions_going", "copies_missing")
UNEVEN, GROWN = 1.5, 1.3
HOT = 0.2


class _Members(Unasked):
    cause = ""
    needs: tuple[Source, ...] = ("figures",)

    def fewer(self, evidence: Evidence) -> tuple[float, float] | None:
        """Members seen and usual, where there are fewer."""
        seen = figure_of(evidence, "members_seen")
        if seen is None or seen.last is None or seen.typical is None:
            return None
        return (seen.last, seen.typical.value) if seen.last <= seen.typical.value - 1 else None

    def told(
        self, evidence: Evidence, title: str, kind: SubjectKind, grade: Grade, facts: list[Fact], remedies: list[Remedy],
        confidence: float, figure: str,
    ) -> Finding:  # fmt: skip
        """A finding about the server, which began when ``figure`` changed."""
        subject = Subject(kind, evidence.server)
        return warns(self.cause, title, subject, grade, facts, remedies, confidence, signal=Signal("figure", figure))

    def moving(self, evidence: Evidence) -> float:
        figures = [figure_of(evidence, name) for name in MOVING]
        return max((one.last or 0.0 for one in figures if one is not None), default=0.0)


class MemberDown(_Members):
    """Fewer members are seen, and partitions are copied among those left."""

    cause = "member_down"
    needs: tuple[Source, ...] = ()  # one that does not answer has no figures

    def examine(self, evidence: Evidence) -> list[Finding]:
        if evidence.role == "member" and (gone := not_answering(evidence, self.cause)):
            return gone
        if isinstance(evidence.figures, Unknown):
            raise CannotTell(evidence.figures.why)
        fewer = self.fewer(evidence)
        if fewer is None or not (self.moving(evidence) or evidence.silent_beside):
            return []
        facts = [
            Fact("members seen", fewer[0], "", "counters", fewer[1]),
            Fact("partitions on the move", self.moving(evidence), "", "counters"),
        ]
        remedies = [
            remedy(
                "operation", "Look after the member that is gone, or let the others finish copying before it comes back"
            )
        ]
        title = f"{evidence.server} sees {fewer[1] - fewer[0]:.0f} member fewer, and takes over its partitions"
        meant = next((one for one in evidence.beside if any(word in one.title.lower() for word in ON_PURPOSE)), None)
        if meant is not None:
            facts.append(since(evidence, meant))
            title = f"A member was taken out on purpose; {evidence.server} takes over its partitions"
        return [
            self.told(
                evidence, title, "cluster", "act" if meant is None else "note", facts, remedies, 0.85, "members_seen"
            )
        ]


class MembersDisagree(_Members):
    """Fewer members are seen, and nothing is moved for it."""

    cause = "members_disagree"

    def examine(self, evidence: Evidence) -> list[Finding]:
        fewer = self.fewer(evidence)
        if fewer is None or self.moving(evidence) or evidence.silent_beside:
            return []  # it is known why
        facts = [Fact("members seen", fewer[0], "", "counters", fewer[1])]
        remedies = [remedy("talk", "Look at the network between the members: they do not see the same")]
        title = f"{evidence.server} sees {fewer[1] - fewer[0]:.0f} member fewer than there are"
        return [self.told(evidence, title, "member", "plan", facts, remedies, 0.75, "members_seen")]


class UnevenLoad(_Members):
    """Far more calls than its peers have, and than it had itself."""

    cause = "uneven_load"

    def examine(self, evidence: Evidence) -> list[Finding]:
        calls, peers = figure_of(evidence, "calls"), evidence.peers
        others = sorted(peers.values()) if isinstance(peers, Mapping) else []
        if evidence.role not in ("member", "replica", "worker") or calls is None or len(others) < 2:
            return []
        hot = figure_of(evidence, "hottest_partition_share")
        middle = others[len(others) // 2]
        if (
            middle <= 0
            or calls.value < UNEVEN * middle
            or (calls.ratio is not None and calls.ratio < GROWN)
            or (hot and (hot.last or 0) > HOT)
        ):
            return []
        facts = [
            against_usual("calls", calls, "/s", "counters"),
            Fact("calls of its peers, the middle one", middle, "/s", "counters"),
        ]
        remedies = [remedy("talk", "Look how calls are dealt out among the members")]
        title = f"{evidence.server} has {calls.value / middle:.1f} times the calls of its peers"
        return [self.told(evidence, title, "member", "plan", facts, remedies, 0.8, "calls")]


class HotPartition(_Members):
    """A large part of all calls asks for one partition."""

    cause = "hot_partition"

    def examine(self, evidence: Evidence) -> list[Finding]:
        hot = figure_of(evidence, "hottest_partition_share")
        if hot is None or (hot.last or 0.0) < HOT:
            return []
        facts = [Fact("of all calls", hot.last or 0.0, "share", "counters", hot.usual)]
        remedies = [remedy("rewrite", "Choose a key that spreads what is asked for most", "Partitions are made anew.")]
        return [
            self.told(
                evidence,
                "One partition is asked for far more than the others",
                "member",
                "plan",
                facts,
                remedies,
                0.8,
                "hottest_partition_share",
            )
        ]
