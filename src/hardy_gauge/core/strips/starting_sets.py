"""Which figures to look at for each cause: the bands that a finding opens, the heaviest evidence first. Common practice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.strips.band import BandKey

LOAD = ("figure:active_sessions", "figure:calls_per_s")
STATEMENT = ("statement:active", "statement:time", "statement:calls", "statement:rows")
LOCKS = ("family:row lock", "family:object lock", "figure:idle_transactions", "figure:oldest_transaction_s")
READS = ("family:data read", "figure:pages_read_per_s", "figure:read_share", "figure:data_volume_busy")
WRITES = ("family:data write", "family:log write", "figure:log_bytes_per_s", "figure:log_volume_busy")
CORES = ("family:processor", "figure:processor_busy", "figure:run_queue")
MEMORY = ("family:memory", "figure:memory_used_bytes", "figure:swap_used_bytes", "figure:sessions_open")
REPLICA = ("figure:replica_lag_s", "figure:replica_lag_bytes", "figure:log_bytes_per_s", "family:replication")
MEMBERS = ("figure:members_seen", "figure:partitions_coming", "figure:copies_missing")
UPKEEP = ("figure:dead_rows_share", "figure:transaction_age", "figure:oldest_transaction_s")
SESSIONS = ("figure:sessions_open", "figure:connections_opened", "figure:errors")

SETS: Mapping[str, Sequence[str]] = {
    "missing_index": (*STATEMENT, *READS[:2]),
    "plan_flip": STATEMENT, "pin_unhelpful": STATEMENT, "plan_regressed_after_upgrade": STATEMENT, "stale_statistics": STATEMENT, "value_sensitive_plan": STATEMENT,
    "new_statement": STATEMENT, "many_small_calls": STATEMENT,
    "over_fetch": ("statement:returned", *STATEMENT, "family:client"),
    "wide_select": ("statement:returned", *STATEMENT, "family:client"),
    "failing_statement": ("statement:errors", "statement:calls", "figure:errors"),
    "hot_row": ("statement:active", *LOCKS), "idle_transaction": LOCKS, "lock_chain": ("statement:active", *LOCKS),
    "schema_change_queue": LOCKS, "prepared_transaction_left": ("figure:prepared_transactions", *LOCKS),
    "long_transaction": ("figure:oldest_transaction_s", *UPKEEP[:2], *LOCKS[:2]),
    "deadlocks": ("statement:errors", *LOCKS, "figure:errors"), "watched_message": ("statement:errors", "figure:errors"),
    "watched_figure": ("figure:active_sessions", "figure:response_s"),
    "session_flood": SESSIONS, "connection_storm": SESSIONS,
    "pooler_too_small": ("figure:pool_wait_s", "figure:pool_sessions", "figure:pool_timeouts", *SESSIONS),
    "processor_saturated": (*CORES, "figure:response_s"), "host_setting": (*CORES, *MEMORY[1:3]),
    "memory_overcommitted": MEMORY, "cache_too_large": (*MEMORY, *READS[:2]), "cache_too_small": READS,
    "cold_cache_after_failover": READS,
    "data_volume_slow": READS, "log_volume_slow": WRITES, "volume_shared": (*READS, *WRITES[:2]), "burst_credit_used_up": (*READS, *WRITES),
    "log_too_small": ("figure:checkpoints", "figure:checkpoints_forced", *WRITES),
    "sort_spills": ("figure:temporary_bytes", "family:temporary space", "statement:active", "statement:time"),
    "temporary_files_fill": ("figure:temporary_bytes", "family:temporary space"),
    "write_amplification": ("figure:log_bytes_per_s", *WRITES, "statement:time"), "unused_index": WRITES, "duplicate_index": WRITES,
    "upkeep_off": UPKEEP, "bloat": (*UPKEEP, *READS[:2]), "transaction_age": UPKEEP,
    "sequence_running_out": LOAD, "storage_filling": ("figure:log_bytes_per_s", "figure:pages_written"),
    "log_kept_for_lost_replica": REPLICA, "replica_behind": REPLICA, "replica_query_cancelled": (*REPLICA[:2], "figure:errors"),
    "server_down": LOAD, "member_down": MEMBERS, "members_disagree": MEMBERS, "uneven_load": LOAD,
    "hot_partition": ("figure:hottest_partition_share", *LOAD, *CORES[:2]),
    "settings_differ": LOAD, "setting_harmed": (*LOAD, "figure:response_s", *WRITES[2:3], *READS[1:2]),
    "network_slow": ("family:client", "figure:network_retransmitted_share"), "clock_off": LOAD,
    "backup_in_rush": (*READS, *WRITES[:2]), "statistics_job_in_rush": (*READS, *CORES[:2]),
    "broadcast_too_large": STATEMENT, "partitions_wrong": STATEMENT,
}  # fmt: skip


def bands_of(finding: Finding, server: str) -> list[BandKey]:
    """The server's active sessions, and what the finding's cause names; of a statement only where it is about one."""
    found = [BandKey("figure", server, "active_sessions")]
    for text in SETS.get(finding.cause, LOAD):
        kind, _, name = text.partition(":")
        if kind == "statement":
            if finding.subject.kind == "statement":
                found.append(BandKey("statement", server, finding.subject.name, name))
        elif kind == "family":
            found.append(BandKey("family", server, name))
        else:
            found.append(BandKey("figure", server, name))
    if finding.signal is not None and finding.signal.kind == "figure":
        found.append(BandKey("figure", server, finding.signal.name))
    return list(dict.fromkeys(found))
