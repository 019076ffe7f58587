"""Roots and consequences: findings that explain the same time, or the same harm, are arranged under the one they follow from.

What follows from what is common practice; one line a consequence.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from hardy_gauge.core.diagnosis.finding import Finding, Subject

GRADE_RANK = {"fine": 0, "note": 1, "plan": 2, "act": 3}
TABLES = re.compile(r"\b(?:from|join|into|update)\s+([\w.]+)", re.IGNORECASE)
Relation = Literal["anywhere", "same subject", "same statement or table"]


@dataclass(frozen=True)
class Follows:
    """A consequence, and the causes it may follow from, the most likely first; how their subjects must agree."""

    cause: str
    roots: tuple[str, ...]
    relation: Relation = "anywhere"


HEAVY = (
    "missing_index",
    "plan_flip",
    "new_statement",
    "wide_select",
    "over_fetch",
    "many_small_calls",
    "value_sensitive_plan",
)
JOBS = ("backup_in_rush", "statistics_job_in_rush")
HOLDERS = ("deadlocks", "lock_chain", "idle_transaction", "schema_change_queue", "prepared_transaction_left")
MEMBERS = ("hot_partition", "uneven_load", "member_down")
SETTINGS = (
    "cache_too_small", "cache_too_large", "log_too_small", "sort_spills", "upkeep_off", "memory_overcommitted", "broadcast_too_large",
    "partitions_wrong",
)  # fmt: skip

FOLLOWS: tuple[Follows, ...] = (
    Follows("failing_statement", ("deadlocks", "replica_query_cancelled"), "same subject"),
    Follows("failing_statement", ("storage_filling", "sequence_running_out", "transaction_age", "session_flood", "connection_storm")),
    Follows("hot_row", HOLDERS),
    Follows("hot_row", ("log_volume_slow", "connection_storm", "processor_saturated", "host_setting", "memory_overcommitted")),
    Follows("idle_transaction", ("lock_chain",)),
    Follows("lock_chain", ("schema_change_queue",)),
    Follows("missing_index", ("new_statement", "wide_select", "over_fetch"), "same subject"),
    Follows("missing_index", ("stale_statistics", "plan_flip"), "same statement or table"),
    Follows("plan_flip", ("new_statement",), "same subject"),
    Follows("plan_flip", ("plan_flip",), "same statement or table"),
    Follows("missing_index", ("missing_index",), "same statement or table"),
    Follows("stale_statistics", ("plan_flip", "value_sensitive_plan"), "same statement or table"),
    Follows("stale_statistics", ("upkeep_off",)),
    Follows("over_fetch", ("value_sensitive_plan",), "same subject"),
    Follows("many_small_calls", (*MEMBERS, "session_flood")),
    Follows("hot_partition", ("uneven_load",)),
    Follows("upkeep_off", ("transaction_age",), "same statement or table"),
    Follows("bloat", ("upkeep_off", "long_transaction", "idle_transaction", "prepared_transaction_left")),
    Follows("duplicate_index", ("write_amplification",), "same statement or table"),
    Follows("unused_index", ("write_amplification",), "same statement or table"),
    Follows("processor_saturated", ("host_setting", "connection_storm", *HEAVY, *MEMBERS, "session_flood", *JOBS)),
    Follows("session_flood", ("connection_storm", "lock_chain", "idle_transaction", "schema_change_queue", "hot_row")),
    Follows("data_volume_slow", ("volume_shared", "burst_credit_used_up", *JOBS, "cache_too_small", "cold_cache_after_failover")),
    Follows("data_volume_slow", HEAVY),
    Follows("cache_too_small", ("cold_cache_after_failover", "cache_too_large", *JOBS, *HEAVY, "bloat", "burst_credit_used_up")),
    Follows("many_small_calls", ("session_flood",)),
    Follows("memory_overcommitted", ("cache_too_large", "session_flood", "connection_storm")),
    Follows("storage_filling", ("log_kept_for_lost_replica", "temporary_files_fill", "bloat")),
    Follows("sort_spills", ("temporary_files_fill",)),
    Follows("sort_spills", ("broadcast_too_large", "partitions_wrong")),
    Follows("plan_flip", ("broadcast_too_large", "partitions_wrong"), "same subject"),
    Follows("setting_harmed", SETTINGS),
    Follows("settings_differ", (*SETTINGS, "setting_harmed")),
    Follows("log_volume_slow", ("write_amplification", "setting_harmed")),
    Follows("log_too_small", ("setting_harmed", "write_amplification", "many_small_calls")),
    Follows("replica_behind", ("data_volume_slow", "log_volume_slow", "processor_saturated")),
)  # fmt: skip


def arranged(findings: Sequence[Finding]) -> list[Finding]:
    """The findings with their roots named: roots by importance, then what follows from them.

    A root is as urgent as the most urgent of its consequences, and costs at least what each of them costs.
    """
    found = {id(one): root for one in findings if (root := _root_of(one, findings)) is not None}
    made = []
    for one in findings:
        root = _top(one, found)
        if root is not one:
            made.append(replace(one, root=root.cause, root_subject=root.subject.name))
            continue
        mine = [other for other in findings if other is not one and _top(other, found) is one]
        made.append(_with_weight_of(one, mine))
    return sorted(made, key=lambda f: (not f.is_root, *importance(f)))


def importance(finding: Finding) -> tuple[float, ...]:
    """Sorts the most important first: by grade, what is new before what has always been so, share of time, then time that is left, then how sure it is."""
    impact = finding.impact
    left = impact.value if impact.unit == "s" else float("inf")
    return (-GRADE_RANK[finding.grade], float(finding.chronic), -finding.share, left, -finding.confidence)


def _with_weight_of(root: Finding, consequences: Sequence[Finding]) -> Finding:
    if not consequences:
        return root
    urgent = max([root, *consequences], key=lambda one: GRADE_RANK[one.grade]).grade
    heaviest = max([root, *consequences], key=lambda one: one.share)
    if heaviest.share <= root.share:
        return replace(root, grade=urgent)
    return replace(
        root, grade=urgent, share=heaviest.share, share_low=heaviest.share_low, share_high=heaviest.share_high,
        impact=heaviest.impact if root.impact.unit == "sessions" else root.impact,
    )  # fmt: skip


def _root_of(one: Finding, findings: Sequence[Finding]) -> Finding | None:
    for rule in FOLLOWS:
        if rule.cause != one.cause:
            continue
        for cause in rule.roots:
            for other in findings:
                if (
                    other.cause == cause
                    and other is not one
                    and _agree(one, other, rule.relation)
                    and _weighs(one, other)
                ):
                    return other
    return None


def _before(root: Finding, one: Finding) -> bool:
    """Of two with one cause the heavier is the root."""
    if root is one:
        return False
    return root.cause != one.cause or (root.share, root.subject.name) > (one.share, one.subject.name)


def _weighs(one: Finding, root: Finding) -> bool:
    """A note that costs nothing explains no trouble: a root has some weight of its own, or its consequence has none."""
    return root.grade != "note" or root.share > 0 or one.grade == "note"


def _top(one: Finding, found: dict[int, Finding]) -> Finding:
    """The root at the end of the way up; of causes that name each other in a circle the most important."""
    way = [one]
    while (above := found.get(id(way[-1]))) is not None:
        if any(above is other for other in way):
            return min(way[next(n for n, other in enumerate(way) if other is above) :], key=importance)
        way.append(above)
    return way[-1]


def _agree(one: Finding, other: Finding, relation: Relation) -> bool:
    if relation == "anywhere":
        return True
    if one.subject.name == other.subject.name:
        return True
    return relation == "same statement or table" and bool(_objects(one.subject) & _objects(other.subject))


def _objects(subject: Subject) -> set[str]:
    """Tables and indexes by which two subjects may be about the same."""
    if subject.kind == "statement":
        return {name.lower() for name in TABLES.findall(subject.text)}
    return {subject.name, *subject.text.replace(",", " ").split()}
