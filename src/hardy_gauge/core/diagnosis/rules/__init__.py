"""Every rule, in the order in which findings of equal share are listed. A new rule is one file and one line here."""

from hardy_gauge.core.diagnosis.rules.access.missing_index import MissingIndex
from hardy_gauge.core.diagnosis.rules.cluster.members import HotPartition, MemberDown, MembersDisagree, UnevenLoad
from hardy_gauge.core.diagnosis.rules.cluster.not_answering import ServerDown
from hardy_gauge.core.diagnosis.rules.cluster.replica_behind import ReplicaBehind
from hardy_gauge.core.diagnosis.rules.cluster.replica_query_cancelled import ReplicaQueryCancelled
from hardy_gauge.core.diagnosis.rules.cluster.setting_harmed import SettingHarmed
from hardy_gauge.core.diagnosis.rules.cluster.settings_differ import SettingsDiffer
from hardy_gauge.core.diagnosis.rules.cluster.spreading import BroadcastTooLarge, PartitionsWrong
from hardy_gauge.core.diagnosis.rules.host.clock_off import ClockOff
from hardy_gauge.core.diagnosis.rules.host.host_setting import HostSetting
from hardy_gauge.core.diagnosis.rules.host.processor_saturated import ProcessorSaturated
from hardy_gauge.core.diagnosis.rules.indexes.needless import DuplicateIndex, UnusedIndex
from hardy_gauge.core.diagnosis.rules.indexes.write_amplification import WriteAmplification
from hardy_gauge.core.diagnosis.rules.memory.cache import CacheTooSmall, ColdCache
from hardy_gauge.core.diagnosis.rules.memory.memory_overcommitted import CacheTooLarge, MemoryOvercommitted
from hardy_gauge.core.diagnosis.rules.memory.sort_spills import SortSpills
from hardy_gauge.core.diagnosis.rules.planning.pin_unhelpful import PinUnhelpful
from hardy_gauge.core.diagnosis.rules.planning.plan_flip import PlanFlip
from hardy_gauge.core.diagnosis.rules.planning.stale_statistics import StaleStatistics
from hardy_gauge.core.diagnosis.rules.planning.value_sensitive_plan import ValueSensitivePlan
from hardy_gauge.core.diagnosis.rules.storage.log_too_small import LogTooSmall
from hardy_gauge.core.diagnosis.rules.storage.volume_slow import DataVolumeSlow, LogVolumeSlow, VolumeShared
from hardy_gauge.core.diagnosis.rules.upkeep.running_out import (
    SequenceRunningOut,
    StorageFilling,
    TemporaryFilesFill,
    TransactionAge,
)
from hardy_gauge.core.diagnosis.rules.upkeep.unkept import Bloat, UpkeepOff
from hardy_gauge.core.diagnosis.rules.waiting.deadlocks import Deadlocks
from hardy_gauge.core.diagnosis.rules.waiting.held_by_idle import IdleTransaction, LockChain
from hardy_gauge.core.diagnosis.rules.waiting.hot_row import HotRow
from hardy_gauge.core.diagnosis.rules.waiting.long_transaction import LongTransaction, PreparedTransactionLeft
from hardy_gauge.core.diagnosis.rules.waiting.schema_change_queue import SchemaChangeQueue
from hardy_gauge.core.diagnosis.rules.work.failing_statement import FailingStatement
from hardy_gauge.core.diagnosis.rules.work.in_front import (
    BurstCreditUsedUp,
    ConnectionStorm,
    LogKept,
    NetworkSlow,
    PoolerTooSmall,
)
from hardy_gauge.core.diagnosis.rules.work.jobs import JobInRush, StatisticsJobInRush
from hardy_gauge.core.diagnosis.rules.work.more_work import ManySmallCalls, NewStatement, OverFetch, WideSelect
from hardy_gauge.core.diagnosis.rules.work.session_flood import SessionFlood
from hardy_gauge.core.diagnosis.rules.work.watched_figure import WatchedFigure
from hardy_gauge.core.diagnosis.rules.work.watched_message import WatchedMessage
from hardy_gauge.core.diagnosis.runner import Rule

RULES: tuple[Rule, ...] = (
    MissingIndex(), PlanFlip(), PinUnhelpful(), StaleStatistics(), IdleTransaction(), LockChain(), SchemaChangeQueue(), HotRow(), Deadlocks(),
    FailingStatement(), SessionFlood(), ConnectionStorm(), PoolerTooSmall(), NetworkSlow(), NewStatement(), WideSelect(), JobInRush(), StatisticsJobInRush(),
    ManySmallCalls(), OverFetch(), ProcessorSaturated(), DataVolumeSlow(), VolumeShared(), LogVolumeSlow(), BurstCreditUsedUp(), CacheTooSmall(),
    ColdCache(), LogTooSmall(), SortSpills(), MemoryOvercommitted(), HostSetting(), LongTransaction(), PreparedTransactionLeft(),
    UpkeepOff(), Bloat(), TransactionAge(), SequenceRunningOut(), StorageFilling(), TemporaryFilesFill(), ReplicaBehind(), ReplicaQueryCancelled(), LogKept(), MemberDown(),
    MembersDisagree(), HotPartition(), UnevenLoad(), SettingsDiffer(), UnusedIndex(), DuplicateIndex(), WriteAmplification(),
    SettingHarmed(), ValueSensitivePlan(), CacheTooLarge(), ClockOff(), BroadcastTooLarge(), PartitionsWrong(), ServerDown(), WatchedMessage(), WatchedFigure(),
)  # fmt: skip
