"""Hosts and their volumes."""

from __future__ import annotations

from pydantic import Field, model_validator

from practice_fleet.scenario.units import Bytes, BytesOrNone, Part


class VolumeSpec(Part):
    """A volume of parallel channels behind optional limits, as rented storage has them."""

    capacity: Bytes = Field(description="size of the volume")
    used: Bytes = Field(description="used when the fleet first starts")
    growth_per_day: BytesOrNone = Field(description="growth of what is used, per day; 0 for none")
    channels: int = Field(ge=1, le=1024, description="requests served beside each other")
    latency_s: float = Field(gt=0, le=1, description="seconds for one page when nothing queues")
    stream_bytes_per_s: Bytes = Field(description="bytes per second of one channel when reading in order")
    operations_per_s_limit: float | None = Field(
        None, gt=0, description="cap on requests per second, over all channels"
    )
    bytes_per_s_limit: Bytes | None = Field(None, description="cap on bytes per second, over all channels")
    burst_operations_per_s: float | None = Field(
        None, gt=0, description="cap on requests per second while there is credit; operations_per_s_limit is what lasts"
    )
    burst_credit: float = Field(
        0, ge=0, description="requests above the lasting cap that can be saved up; needed with burst_operations_per_s"
    )
    shared_as: str | None = Field(
        None, description="a storage that every data volume with this name lies on: its channels and limits serve all"
    )
    neighbour_share: float = Field(0.0, ge=0, lt=1, description="share of the channels that others keep busy")

    @model_validator(mode="after")
    def _burst_is_whole(self) -> VolumeSpec:
        if self.burst_operations_per_s is None:
            return self
        if self.operations_per_s_limit is None or self.operations_per_s_limit >= self.burst_operations_per_s:
            raise ValueError("burst_operations_per_s needs an operations_per_s_limit that is lower")
        if not self.burst_credit:
            raise ValueError("burst_operations_per_s needs a burst_credit")
        return self


class HostSpec(Part):
    """One machine; every server of a cluster runs on one like it."""

    cores: int = Field(ge=1, le=1024, description="processor cores")
    core_speed: float = Field(1.0, gt=0, le=10, description="speed of one core; 1 is an ordinary one")
    memory: Bytes = Field(description="main memory")
    data_volume: VolumeSpec
    log_volume: VolumeSpec | None = Field(None, description="left out: the log lies on the data volume")
    network_latency_s: float = Field(0.0002, ge=0, le=10, description="seconds of one trip to the client and back")
    network_bytes_per_s: Bytes = Field(1_000_000_000, description="bytes per second to clients")
    huge_pages: bool = Field(False, description="memory is mapped in large pages, so that page tables stay small")
    atomic_writes: bool = Field(
        False, description="the file system never leaves half a page: none has to be in the log whole"
    )
    swap_tendency: float = Field(
        0.0, ge=0, le=1, description="how readily memory goes to swap to keep files cached, before memory is full"
    )
    swap: Bytes = Field(2**31, description="swap space; when memory and swap are full, the server is killed")

    @property
    def log(self) -> VolumeSpec:
        """The volume that the log is written to."""
        return self.log_volume or self.data_volume
