"""The troubles that a scenario's time line may hold; one class each, found here by its cause."""

from typing import Annotated

from pydantic import Field

from practice_fleet.troubles import configuration, growth, hardware, indexes, locking, members, planning, work

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
    | growth.StorageFilling | growth.ReplicaBehind
    | members.UnevenLoad | members.MemberDown | members.MembersDisagree | members.FailoverDrill | members.IndexBuild,
    Field(discriminator="cause"),
]  # fmt: skip
