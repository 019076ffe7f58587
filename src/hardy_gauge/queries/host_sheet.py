"""The machine below a server over a window."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import bytes_of, grade_by_days
from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.figures.catalogue import recorded_figure, volume_latencies
from hardy_gauge.core.figures.minutes import over_span
from hardy_gauge.core.host.settings import settings_of
from hardy_gauge.core.host.sheet import HostSheet, HostVolume, Piece, memory_pieces
from hardy_gauge.core.narrative.host import IDLE, fills_words, host_sentence
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.evidence_sources import settings
from hardy_gauge.queries.findings import TROUBLE
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import beside, server_named
from hardy_gauge.queries.table_growth import growing_tables, table_space
from hardy_gauge.queries.volumes import volumes_of
from hardy_gauge.store.models import Server

BUSY = "processor_s."


def host_sheet(reader: Reader, span: Span, name: str) -> HostSheet:
    """NotFound where there is no such server."""
    server = server_named(reader, name)
    frame = reader.counters([server.id], span)
    columns = set(frame.columns)

    def rate(column: str) -> float | None:
        return over_span(frame, recorded_figure(column, True)) if column in columns else None

    def level(column: str) -> float | None:
        values = frame[column].drop_nulls().to_list() if column in columns else []
        return float(values[-1]) if values else None

    kinds = sorted(
        (c.removeprefix(BUSY) for c in columns if c.startswith(BUSY)),
        key=lambda kind: (kind in IDLE, kind != "user", kind),
    )
    busy = [Piece(kind, rate(f"{BUSY}{kind}") or 0.0) for kind in kinds]
    if not busy and (all_of_it := rate("processor_busy_s")) is not None:
        busy = [Piece("busy", all_of_it)]
    latencies = {one.name: over_span(frame, one) for one in volume_latencies(frame.columns)}
    volumes = [
        HostVolume(
            one.name, one.purpose, one.used_bytes, one.capacity_bytes, one.days_left, fills_words(one.days_left, one.lately, one.soonest_days, one.latest_days), one.days_left is not None and grade_by_days(one.days_left) in TROUBLE,
            rate(f"volume_reads.{one.name}"), rate(f"volume_writes.{one.name}"),
            _both(rate(f"volume_read_bytes.{one.name}"), rate(f"volume_write_bytes.{one.name}")),
            latencies.get(f"volume_read_latency_s.{one.name}"), latencies.get(f"volume_write_latency_s.{one.name}"),
            _both(rate(f"volume_read_s.{one.name}"), rate(f"volume_write_s.{one.name}")), *_limits(server, one.name),
        )
        for one in volumes_of(reader, server, reader.clock())
    ]  # fmt: skip
    total, cores = server.host.get("memory_bytes"), server.host.get("cores")
    cache, each = cache_and_session_bytes(reader, server)
    waiting = rate("run_queue_s") if "run_queue_s" in columns else level("run_queue")
    open_ = level("sessions_open")
    sessions = each * open_ if each is not None and open_ is not None else None
    memory = (
        memory_pieces(total, level("memory_used_bytes"), level("memory_available_bytes"), cache, sessions)
        if total
        else []
    )
    unknown = [
        words
        for words, known in (
            ("how many cores it has", cores is not None), ("what keeps its cores busy", bool(busy)), ("how much memory it has", bool(total)),
            ("what its memory is used for", bool(memory)), ("its volumes", bool(volumes)),
            ("requests of its volumes", any(one.reads is not None for one in volumes)), ("how its system is set", bool(server.host.get("settings"))),
        )
        if not known
    ]  # fmt: skip
    return HostSheet(
        server.name, host_sentence(server.name, cores, busy, memory, total, volumes), cores, busy,
        waiting / cores if waiting is not None and cores else None, total, memory, level("swap_used_bytes"),
        rate("swap_in_pages") if "swap_in_pages" in columns else rate("swap_pages"), volumes, level("network_retransmitted_share"),
        rate("network_bytes_sent"), rate("network_bytes_received"), growing_tables(reader, server, span.until_us),
        table_space(reader, server, span.until_us),
        settings_of(server.host.get("settings") or {}), unknown,
    )  # fmt: skip


def _both(one: float | None, other: float | None) -> float | None:
    return None if one is None and other is None else (one or 0.0) + (other or 0.0)


def _limits(server: Server, volume: str) -> tuple[float | None, float | None]:
    """Operations and bytes a second that were bought."""
    known: dict[str, float | None] = next((one for one in server.host.get("volumes", []) if one["name"] == volume), {})
    return known.get("operations_per_s_limit"), known.get("bytes_per_s_limit")


def cache_and_session_bytes(reader: Reader, server: Server) -> tuple[float | None, float | None]:
    """Bytes of the buffer cache, and of the buffers that each session holds, as they are set."""
    known = settings(reader, server, beside(reader, server))
    facts = [] if isinstance(known, Unknown) else list(known.values())
    cache, each = (
        bytes_of(next((one for one in facts if one.neutral == name), None))
        for name in ("buffer_cache_bytes", "session_memory_bytes")
    )
    return cache, each
