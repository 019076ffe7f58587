"""The agent beside a real PostgreSQL: the protocol with a token, host figures, OpenMetrics."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace

import httpx
import psutil
import psycopg
import pytest
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from hardy_gauge.agent.app import Beside, create_agent
from hardy_gauge.agent.host import Folder, _device, counters
from hardy_gauge.core.figures.catalogue import volume_latencies
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.protocol import ExplainRequest, ProbeError, Refused, Unsupported
from tests.conftest import Serving
from tests.patience import PATIENT_S
from tests.postgres import SECRET, watched_postgres

pytestmark = pytest.mark.postgres
TOKEN = "planted-Token-e2"


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres() as made:
        yield made


@pytest.fixture(scope="module")
def served(watched: tuple[psycopg.Connection, str]) -> Iterator[str]:
    probe = open_probe(watched[1], Credential("gauge", SECRET), deadline_s=PATIENT_S)
    beside = Beside(probe, [Folder("data", "both", Path("/tmp")), Folder("lost", "log", Path("/nowhere"))])
    with Serving(create_agent({"reading-room": beside}, TOKEN)) as serving:
        yield serving.address
    probe.close()


@pytest.fixture
def probe(served: str) -> Iterator[HttpProbe]:
    made = HttpProbe(
        f"{served}/servers/reading-room", deadline_s=PATIENT_S, credential=Credential("", TOKEN, plain_text=True)
    )
    yield made
    made.close()


def test_what_goes_through_is_what_the_server_says(probe: HttpProbe, watched: tuple[psycopg.Connection, str]) -> None:
    identity = probe.identity()
    assert (identity.server, identity.engine) == ("reading-room", "postgresql") and "host" in identity.abilities
    watched[0].execute("SELECT count(*) FROM loan")
    direct = open_probe(watched[1], Credential("gauge", SECRET))
    assert {s.key for s in probe.statements().statements} == {s.key for s in direct.statements().statements}
    assert probe.settings().settings == direct.settings().settings
    assert probe.schema().tables == direct.schema().tables
    direct.close()
    assert probe.explain(ExplainRequest(text="SELECT note FROM loan WHERE id = $1")).root.index == "loan_pkey"
    with pytest.raises(Refused, match="nowhere") as refused:
        probe.explain(ExplainRequest(text="SELECT * FROM nowhere"))
    assert refused.value.field == "text"
    with pytest.raises(Unsupported):
        probe.plan("x")
    assert any(r.ability == "host" and r.reported for r in probe.readiness().reports)
    assert probe.sessions().sessions == [] and probe.members().members == []
    assert probe.executions(0, 0.0).executions and probe.messages(0).messages


def test_the_host_is_seen(probe: HttpProbe) -> None:
    host = probe.host()
    assert host.cores == psutil.cpu_count() and host.memory_bytes == psutil.virtual_memory().total
    (volume,) = host.volumes
    use = psutil.disk_usage("/tmp")
    assert volume.capacity_bytes == use.used + use.free and volume.used_bytes == pytest.approx(use.used, rel=0.05)
    found = probe.counters()
    assert {f"processor_s.{kind}" for kind in ("user", "system")} <= set(found.values)
    assert found.values["swap_pages"] == found.values["swap_in_pages"] + found.values["swap_out_pages"]
    assert found.levels["run_queue"] >= 1, "who asks runs"
    assert host.settings["swap_tendency"] == Path("/proc/sys/vm/swappiness").read_text(encoding="ascii").strip()
    assert found.values["commits"] > 0 and found.values["processor_busy_s"] > 0 and found.levels["load_per_core"] >= 0


def test_busy_cores_are_counted() -> None:
    """Two threads cannot work at once here, so one busy loop is one core, plus what else the machine does."""
    before, began = counters()["processor_busy_s"], time.monotonic()
    own = time.process_time()
    while time.monotonic() - began < 1.0:
        sum(range(1000))
    worked = time.process_time() - own
    spent = counters()["processor_busy_s"] - before
    assert 0.8 * worked <= spent <= (psutil.cpu_count() or 1) * 1.1 * (time.monotonic() - began)


@pytest.mark.parametrize("token", ["", "guess", TOKEN + "x"])
def test_without_the_token_nothing_is_told(served: str, token: str) -> None:
    with pytest.raises(ProbeError, match="token"):
        HttpProbe(f"{served}/servers/reading-room", credential=Credential("", token, plain_text=True)).identity()
    for path in ("metrics", "servers", "openapi.json"):
        headers = {"authorization": f"Bearer {token}"} if token else {}
        assert httpx.get(f"{served}/{path}", headers=headers, trust_env=False).status_code == 401
    assert httpx.get(f"{served}/health", trust_env=False).json() == {"status": "ok"}


# OpenMetrics 1.0, read by prometheus_client's own parser
def test_openmetrics(served: str, probe: HttpProbe) -> None:
    answer = httpx.get(f"{served}/metrics", headers={"authorization": f"Bearer {TOKEN}"}, trust_env=False)
    assert answer.headers["content-type"].startswith("application/openmetrics-text")
    families = {f.name: f for f in text_string_to_metric_families(answer.text)}
    commits = families["hardy_gauge_commits"]
    (sample,) = commits.samples
    assert commits.type == "counter" and sample.labels == {"server": "reading-room", "of": ""}
    assert sample.value <= probe.counters().values["commits"]
    sizes = families["hardy_gauge_database_bytes"]
    assert sizes.type == "gauge" and {s.labels["of"] for s in sizes.samples} >= {"postgres"}


def test_many_callers_at_once(served: str) -> None:
    """The collector, a screen and a scraper ask at the same time; the one connection answers them in turn."""
    failed: list[Exception] = []

    def ask() -> None:
        probe = HttpProbe(
            f"{served}/servers/reading-room", deadline_s=PATIENT_S, credential=Credential("", TOKEN, plain_text=True)
        )
        try:
            for _ in range(5):
                assert probe.counters().values["commits"] > 0
                probe.sessions()
        except Exception as error:
            failed.append(error)
        finally:
            probe.close()

    threads = [threading.Thread(target=ask) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []


def test_what_a_device_did_is_that_of_the_folder_on_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Operations, bytes and seconds of the device that the system says the folder is on; none where it is on none."""
    seen = SimpleNamespace(
        read_count=10, write_count=20, read_bytes=4096, write_bytes=8192, read_time=500, write_time=1500
    )
    monkeypatch.setattr("hardy_gauge.agent.host._device", lambda path: {"data": "vda"}.get(path.name))
    monkeypatch.setattr("psutil.disk_io_counters", lambda perdisk: {"vda": seen, "vdb": None})
    (tmp_path / "data").mkdir()
    found = counters([Folder("data", "both", tmp_path / "data"), Folder("other", "log", tmp_path)])
    mine = {name: value for name, value in found.items() if name.startswith("volume_")}
    assert mine == {
        "volume_reads.data": 10, "volume_writes.data": 20, "volume_read_bytes.data": 4096, "volume_write_bytes.data": 8192,
        "volume_read_s.data": 0.5, "volume_write_s.data": 1.5,
    }  # fmt: skip
    titles = {figure.name: figure.title for figure in volume_latencies(mine)}
    assert titles["volume_read_latency_s.data"] == "time of a read from volume data"


def test_the_device_of_a_folder_is_a_block_device_or_none() -> None:
    for path in (Path("/"), Path("/proc"), Path("/nowhere")):
        name = _device(path)
        assert name is None or Path("/sys/class/block", name).exists()
    assert _device(Path("/nowhere")) is None and _device(Path("/proc")) is None
