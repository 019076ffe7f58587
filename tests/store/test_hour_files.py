"""Hours of many servers kept in files: what is read is the same with and without them, and they go with what they were made of."""

from __future__ import annotations

import stat
from collections.abc import Iterator
from pathlib import Path

import polars as pl
import pytest

from hardy_gauge.store import hour_files, segment_rows, segments
from hardy_gauge.store.database import Store
from tests.queries.builder import Built

HOUR = segments.HOUR_US
BEGIN, SERVERS = 500 * HOUR, 40
COLUMNS = ("value",)


@pytest.fixture
def files(tmp_path: Path) -> Iterator[hour_files.HourFiles]:
    made = hour_files.HourFiles(tmp_path / "hours")
    hour_files.use(made)
    yield made
    hour_files.use(None)
    segment_rows.forget()


@pytest.fixture
def servers(store: Store) -> list[int]:
    built = Built(store)
    found = [built.server(f"s{number}") for number in range(SERVERS)]
    for hour in range(3):
        add(store, found, hour, 1.0)
    return found


def add(store: Store, servers: list[int], hour: int, value: float) -> None:
    at = pl.int_range(BEGIN + hour * HOUR, BEGIN + (hour + 1) * HOUR, HOUR // 6, eager=True)
    with store.write() as session:
        for server in servers:
            frame = pl.DataFrame({"at_us": at, "value": [value + server] * len(at)})
            segments.append(session, server, "metric", frame)


def read(store: Store, servers: list[int], hours: int = 3) -> pl.DataFrame:
    with store.read() as session:
        return segments.read(session, servers, "metric", BEGIN, BEGIN + hours * HOUR, COLUMNS)


def blocks_decoded(monkeypatch: pytest.MonkeyPatch, store: Store, servers: list[int]) -> tuple[pl.DataFrame, int]:
    """What is read with nothing kept in memory, and of how many blocks the rows were decoded."""
    count, decode = 0, segment_rows._decode

    def counted(kind: str, contents: list[tuple[bytes, int]], columns: tuple[str, ...] | None) -> object:
        nonlocal count
        count += len(contents)
        return decode(kind, contents, columns)

    segment_rows._decoded.clear()
    with monkeypatch.context() as patch:
        patch.setattr(segment_rows, "_decode", counted)
        return read(store, servers), count


def test_hours_are_decoded_once(
    store: Store, servers: list[int], files: hour_files.HourFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, decoded = blocks_decoded(monkeypatch, store, servers)
    assert decoded == 3 * SERVERS and len(first) == 18 * SERVERS
    again, decoded = blocks_decoded(monkeypatch, store, servers)
    assert decoded == 0 and again.equals(first)
    names = list(files.folder.iterdir())
    assert len(names) == 3 and {stat.S_IMODE(path.stat().st_mode) for path in names} == {0o600}
    hour_files.use(None)
    assert blocks_decoded(monkeypatch, store, servers)[0].equals(first), "as without files"


def test_what_is_brought_in_makes_an_hour_anew(
    store: Store, servers: list[int], files: hour_files.HourFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    read(store, servers)
    add(store, servers[:3], 1, 1000.0)
    found, decoded = blocks_decoded(monkeypatch, store, servers)
    assert decoded == SERVERS + 3 and found["value"].gt(1000).sum() == 18
    fewer, _ = blocks_decoded(monkeypatch, store, servers[:-1])
    assert set(fewer["server_id"]) == set(servers[:-1]), "files of other servers are not taken"


def test_what_is_deleted_is_in_no_file(store: Store, servers: list[int], files: hour_files.HourFiles) -> None:
    read(store, servers)
    with store.write() as session:
        segments.drop_before(session, "sample", BEGIN + 3 * HOUR)
    assert len(list(files.folder.iterdir())) == 3, "of another kind"
    with store.write() as session:
        segments.drop_before(session, "metric", BEGIN + 2 * HOUR)
    assert len(list(files.folder.iterdir())) == 1
    segment_rows.forget()
    assert not list(files.folder.iterdir())


def test_few_servers_need_no_files(store: Store, servers: list[int], files: hour_files.HourFiles) -> None:
    read(store, servers[:5])
    assert not list(files.folder.iterdir())


def test_a_disk_that_takes_no_more_is_decoded_from_again(
    store: Store, servers: list[int], files: hour_files.HourFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("os.open", raises(OSError(28, "No space left on device")))
    first, _ = blocks_decoded(monkeypatch, store, servers)
    again, decoded = blocks_decoded(monkeypatch, store, servers)
    assert decoded == 3 * SERVERS and again.equals(first) and not list(files.folder.iterdir())


def raises(error: OSError) -> object:
    def refuse(*given: object, **named: object) -> int:
        raise error

    return refuse


def test_a_file_that_somebody_spoilt_is_decoded_again(
    store: Store, servers: list[int], files: hour_files.HourFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = read(store, servers)
    for number, path in enumerate(sorted(files.folder.iterdir())):
        path.write_bytes(path.read_bytes()[: number * 100])
    found, decoded = blocks_decoded(monkeypatch, store, servers)
    assert found.equals(first) and decoded == 3 * SERVERS


def test_a_start_goes_on_with_them_where_the_store_is_as_it_was_left(
    store: Store, servers: list[int], files: hour_files.HourFiles, monkeypatch: pytest.MonkeyPatch
) -> None:
    def stamp() -> str:
        with store.read() as session:
            return segments.stamp(session)

    def started(with_stamp: str) -> hour_files.HourFiles:
        made = hour_files.HourFiles(files.folder, stamp=with_stamp)
        hour_files.use(made)
        return made

    first = read(store, servers)
    files.leave(stamp())
    again = started(stamp())
    found, decoded = blocks_decoded(monkeypatch, store, servers)
    assert decoded == 0 and found.equals(first)
    assert not list(started(stamp()).folder.iterdir()), "one that was killed left nothing to go on with"
    read(store, servers)
    again.leave(stamp())
    with store.write() as session:
        segments.drop_before(session, "metric", BEGIN + 2 * HOUR)
    assert not list(started(stamp()).folder.iterdir()), "what was deleted meanwhile is in no file"


def test_there_is_a_most_of_them_and_the_last_asked_for_stay(tmp_path: Path) -> None:
    frame = pl.DataFrame({"value": [0.0] * 10_000})
    files = hour_files.HourFiles(tmp_path / "hours", most_bytes=200_000)
    for hour in (1, 2):
        files.put("metric", hour, "x", frame)
    assert files.get("metric", 1, "x") is not None
    files.put("metric", 3, "x", frame)
    found = [hour for hour in (1, 2, 3) if files.get("metric", hour, "x") is not None]
    assert found == [1, 3] and len(list(files.folder.iterdir())) == 2
    again = hour_files.HourFiles(tmp_path / "hours")
    assert not list(again.folder.iterdir()) and again.get("metric", 3, "x") is None, "a start begins without any"
