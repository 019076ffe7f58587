"""The troubles that a scenario's time line may hold; one class each, found here by its cause."""

from typing import Annotated

from pydantic import Field

from practice_fleet.troubles import (
    benign,
    configuration,
    connections,
    growth,
    hardware,
    indexes,
    jobs,
    locking,
    members,
    planning,
    replicas,
    work,
)

Trouble = Annotated[
    indexes.MissingIndex | indexes.UnusedIndex | indexes.DuplicateIndex | indexes.WriteAmplification
    | planning.StaleStatistics | planning.PlanFlip | planning.ValueSensitivePlan
    | hardware.DataVolumeSlow | hardware.LogVolumeSlow | hardware.VolumeShared
    | hardware.ProcessorSaturated | hardware.HostSetting
    | configuration.SettingHarmed | configuration.SettingsDiffer | configuration.CacheTooSmall
    | configuration.CacheTooLarge | configuration.LogTooSmall | configuration.SortSpills
    | configuration.MemoryOvercommitted | configuration.BroadcastTooLarge | configuration.PartitionsWrong
    | work.NewStatement | work.WideSelect | work.ManySmallCalls | work.OverFetch
    | work.FailingStatement | work.SessionFlood
    | locking.HotRow | locking.IdleTransaction | locking.LockChain | growth.LongTransaction | locking.Deadlocks
    | growth.Bloat | growth.UpkeepOff | growth.TransactionAge | growth.SequenceRunningOut
    | growth.StorageFilling | growth.TemporaryFilesFill
    | replicas.ReplicaBehind | replicas.ReplicaQueryCancelled | replicas.LogKept | replicas.ColdCache
    | locking.SchemaChangeQueue | locking.PreparedTransactionLeft
    | jobs.BackupInRush | jobs.StatisticsJobInRush | jobs.BurstCreditUsedUp | jobs.PlanRegressed | jobs.ClockOff
    | connections.NetworkSlow | connections.PoolerTooSmall | connections.ConnectionStorm
    | members.UnevenLoad | members.HotPartition | members.MemberDown | members.MembersDisagree
    | members.FailoverDrill | members.IndexBuild
    | benign.Release | benign.SeasonalGrowth | benign.IndexUpkeep | benign.WarmRestart | benign.LabTrial,
    Field(discriminator="cause"),
]  # fmt: skip
