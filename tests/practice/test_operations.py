"""What is done to a server through the protocol takes effect, with its real costs."""

from __future__ import annotations

from collections.abc import Iterator

import httpx
import pytest

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.http_app import build
from practice_fleet.live import LiveServer
from practice_fleet.operations.host import EndSession
from practice_fleet.operations.schema import BuildIndex, DropIndex, Pin
from practice_fleet.operations.settings import Restart, SetSetting
from practice_fleet.physics.wait_events import OBJECT
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from tests.conftest import Serving

NOW = 1_795_521_600_000_000


@pytest.fixture
def live(scenario: Scenario) -> LiveServer:
    plain = scenario.model_copy(update={"troubles": []})
    cluster, spec = plain.servers()["desk-a"]
    return LiveServer(History(PracticeServer(plain, cluster, spec, NOW - HOUR_US)), NOW - HOUR_US)


def minute(live: LiveServer, at: int, column: str) -> float:
    return float(frames.metric_frame(live.history, at, at + MINUTE_US)[column][0])


def test_a_setting_applies_at_once_or_at_the_restart(live: LiveServer) -> None:
    live.do(SetSetting(NOW, name="commit_mode", value="background"))
    live.do(SetSetting(NOW, name="buffer_cache_bytes", value=2**29))
    after = {s.name: s.value for s in live.settings(NOW + MINUTE_US).settings}
    assert (after["commit_mode"], after["buffer_cache_bytes"]) == ("background", 2**30)
    flush = frames.statement_frame(live.history, NOW + MINUTE_US, NOW + 2 * MINUTE_US)["wait.log_flush"].sum()
    assert flush == 0
    live.do(Restart(NOW + 5 * MINUTE_US))
    after = {s.name: s.value for s in live.settings(NOW + 6 * MINUTE_US).settings}
    assert after["buffer_cache_bytes"] == 2**29
    texts = [m.text for m in live.messages(NOW - 1, NOW + HOUR_US).messages]
    assert texts[0] == "commit_mode set to background" and "server restarted" in texts


def test_a_restart_begins_the_counters_again_and_empties_the_cache(live: LiveServer) -> None:
    before = live.counters(NOW).values["calls"]
    usual = minute(live, NOW - 10 * MINUTE_US, "pages_read")
    live.do(Restart(NOW))
    after = live.counters(NOW + 3 * MINUTE_US)
    assert after.started_at_us == NOW and after.values["calls"] < before / 3
    assert minute(live, NOW, "pages_read") > 1.3 * usual
    assert minute(live, NOW + 3 * HOUR_US, "pages_read") < 1.3 * usual
    assert live.identity(NOW + 1).started_at_us == NOW


def test_the_past_stays_as_it_was(live: LiveServer) -> None:
    span = (NOW - 30 * MINUTE_US, NOW)
    before = frames.metric_frame(live.history, *span)
    live.do(SetSetting(NOW, name="read_ahead_pages", value=8))
    assert frames.metric_frame(live.history, *span).equals(before)


def test_an_index_takes_time_and_load_and_only_then_helps(live: LiveServer) -> None:
    live.do(DropIndex(NOW, name="hold_request_title"))
    later = NOW + 10 * MINUTE_US
    slow = minute(live, later - MINUTE_US, "rows_examined")
    build_it = BuildIndex(
        later, spec=IndexSpec(name="back", table="hold_request", columns=["title_id", "state", "placed_at"])
    )
    live.do(build_it)
    assert MINUTE_US / 20 < build_it.ready_us - later < HOUR_US
    during, after = live.server.state(later + 1), live.server.state(build_it.ready_us)
    assert during.now.background_cores == 1 and "back" not in during.catalogue.indexes
    assert "back" in after.catalogue.indexes and after.now.background_cores == 0
    assert minute(live, (build_it.ready_us // MINUTE_US + 2) * MINUTE_US, "rows_examined") < slow / 20


def test_whoever_writes_a_table_waits_for_the_build_of_its_index(live: LiveServer) -> None:
    live.do(BuildIndex(NOW, spec=IndexSpec(name="by_day", table="loan", columns=["renewals"])))
    block = live.history.at(NOW)
    waited = dict(zip(block.keys, block.model.seconds[OBJECT, :, 0], strict=True))
    assert waited["lend_item"] == pytest.approx(2**2 / 2 / 60) and waited["count_for_branch"] == 0
    samples = frames.sample_frame(live.history, NOW, NOW + MINUTE_US)
    blocked = samples.filter(samples["wait_event"] == "object_lock")
    assert len(blocked) > 0 and set(blocked["blocked_by"]) == {240}


def test_a_pinned_plan_stays_until_it_is_unpinned(live: LiveServer) -> None:
    with_index = live.server.state(NOW).plans["patron_fines"].key()
    options = live.server.state(NOW)
    live.do(Pin(NOW, statement="patron_fines", plan_key=with_index))
    assert live.server.state(NOW + 1).now.pinned == {"patron_fines": with_index} and options.now.pinned == {}
    live.do(Pin(NOW + MINUTE_US, statement="patron_fines"))
    assert live.server.state(NOW + MINUTE_US).now.pinned == {}


def test_ending_the_session_that_holds_others_up(scenario: Scenario) -> None:
    trouble = {
        "cause": "idle_transaction",
        "servers": ["desk-a"],
        "start_minutes_ago": 30,
        "statement": "count_for_branch",
        "size": 5,  # 20 s of each 40 s, from its beginning on
    }
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [trouble]})
    cluster, spec = made.servers()["desk-a"]
    live = LiveServer(History(PracticeServer(made, cluster, spec, NOW)), NOW)
    blocked = [s for n in range(20) for s in live.sessions(NOW + n * 1_000_000).sessions if s.wait_event == "row_lock"]
    holder = {s.blocked_by for s in blocked}
    assert len(blocked) > 20 and holder - {None} == {240}
    with pytest.raises(Refused, match="session 7 holds no one up"):
        live.do(EndSession(NOW, session=7))
    live.do(EndSession(NOW + MINUTE_US, session=240))
    rest = live.sessions(NOW + 3 * MINUTE_US).sessions
    assert sum(s.wait_event == "row_lock" for s in rest) <= 1


@pytest.fixture(scope="module")
def served(scenario: Scenario) -> Iterator[httpx.Client]:
    short = scenario.model_copy(update={"history_days": 1.0, "sample_history_days": 1.0})
    with (
        Serving(build(short, NOW, lambda: NOW)) as serving,
        httpx.Client(base_url=serving.address, trust_env=False) as c,
    ):
        yield c


REFUSED = [
    ("settings", {"name": "colour", "value": 1}, "no setting 'colour'"),
    ("settings", {"name": "buffer_cache_bytes", "value": 1}, "it may be from"),
    ("settings", {"name": "commit_mode", "value": "never"}, "one of wait, background"),
    ("indexes", {"table": "nothing", "columns": ["id"]}, "no table 'nothing'"),
    ("indexes", {"table": "loan", "columns": ["colour"]}, "no column colour"),
    ("indexes/nothing/drop", {}, "no index 'nothing'"),
    ("pins", {"statement": "nothing", "plan_key": None}, "no statement 'nothing'"),
    ("sessions/3/end", {}, "holds no one up"),
    ("volumes/none/grow", {"capacity_bytes": 10**15}, "no volume 'none'; there are: data, log"),
    ("volumes/data/grow", {"capacity_bytes": 5}, "can only be made larger"),
    ("volumes/data/grow", {"capacity_bytes": -5}, "greater than 0"),
    ("volumes/data/grow", {"bytes": 5}, "capacity_bytes"),
]


@pytest.mark.parametrize(("path", "body", "words"), REFUSED)
def test_what_cannot_be_done_is_refused_with_a_problem_detail(
    served: httpx.Client, path: str, body: dict[str, object], words: str
) -> None:
    answer = served.post(f"/servers/desk-a/{path}", json=body)
    assert answer.status_code == 422 and answer.headers["content-type"] == "application/problem+json"
    assert words in answer.json()["detail"]


def test_a_volume_grows_over_http(served: httpx.Client) -> None:
    done = served.post("/servers/desk-c/volumes/log/grow", json={"capacity_bytes": 80 * 10**9})
    assert done.status_code == 200 and "volume log grown" in done.json()["detail"]
    volumes = {v["name"]: v["capacity_bytes"] for v in served.get("/servers/desk-c/host").json()["volumes"]}
    assert volumes["log"] == 80 * 10**9 and volumes["data"] == 400 * 10**9


def test_what_a_replica_has_from_its_primary_is_refused_there(served: httpx.Client) -> None:
    answer = served.post("/servers/desk-b/indexes", json={"table": "loan", "columns": ["renewals"]})
    assert answer.status_code == 422 and "desk-b has its schema from desk-a" in answer.json()["detail"]
    assert served.post("/servers/desk-b/indexes/loan_item/drop").status_code == 422
    assert served.post("/servers/stats-c/settings", json={"name": "exchange_partitions", "value": 4}).status_code == 422


def test_changes_over_http_show_in_what_the_server_reports(served: httpx.Client) -> None:
    assert served.post("/servers/desk-c/settings", json={"name": "read_ahead_pages", "value": 16}).status_code == 200
    values = {s["name"]: s["value"] for s in served.get("/servers/desk-c/settings").json()["settings"]}
    assert values["read_ahead_pages"] == 16
    assert served.post("/servers/desk-c/settings", json={"name": 1}).status_code == 422
    unknown = [
        served.post("/servers/desk-z/restart"), served.get("/servers/desk-a/plans/none"), served.get("/plays/none"),
        served.get("/servers/desk-a/history/colour?since_us=0&until_us=1"), served.get("/nowhere"),
        served.post("/servers/desk-a/plays", json={"statements": []}),
    ]  # fmt: skip
    for answer in unknown:
        assert answer.status_code in (404, 422) and answer.headers["content-type"] == "application/problem+json"
        assert answer.json()["detail"]
