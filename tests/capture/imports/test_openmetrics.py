"""OpenMetrics text read line by line, against prometheus_client's own parser."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, Summary
from prometheus_client.openmetrics.exposition import generate_latest
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from hardy_gauge.capture.imports.openmetrics import read_openmetrics
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.store.database import Store
from tests.capture.imports.bench import NOW, bring, left, stored

# the example of the OpenMetrics 1.0 specification, "Overall Structure", and its counter and summary with times
SPECIFIED = '''# TYPE acme_http_router_request_seconds summary
# UNIT acme_http_router_request_seconds seconds
# HELP acme_http_router_request_seconds Latency though all of ACME's HTTP request router.
acme_http_router_request_seconds_sum{path="/api/v1",method="GET"} 9036.32
acme_http_router_request_seconds_count{path="/api/v1",method="GET"} 807283.0
acme_http_router_request_seconds_created{path="/api/v1",method="GET"} 1605281325.0
acme_http_router_request_seconds_sum{path="/api/v2",method="POST"} 479.3
acme_http_router_request_seconds_count{path="/api/v2",method="POST"} 34.0
acme_http_router_request_seconds_created{path="/api/v2",method="POST"} 1605281325.0
# TYPE go_goroutines gauge
# HELP go_goroutines Number of goroutines that currently exist.
go_goroutines 69
# TYPE process_cpu_seconds counter
# UNIT process_cpu_seconds seconds
# HELP process_cpu_seconds Total user and system CPU time spent in seconds.
process_cpu_seconds_total 4.20072246e+06
# EOF
'''  # fmt: skip
NO_FIGURE = ("_created", "_bucket")


def theirs(text: str) -> list[tuple[str, tuple[tuple[str, str], ...], float]]:
    found = []
    for family in text_string_to_metric_families(text):
        for sample in family.samples:
            if not sample.name.endswith(NO_FIGURE) and family.type != "info":
                found.append((sample.name, tuple(sorted(sample.labels.items())), float(sample.value)))
    return sorted(found)


def ours(text: str) -> list[tuple[str, tuple[tuple[str, str], ...], float]]:
    return sorted((s.name, tuple(sorted(s.labels)), s.value) for s in read_openmetrics(text, RejectedRows()))


def test_the_specifications_example_is_read_as_the_reference_reads_it() -> None:
    assert ours(SPECIFIED) == theirs(SPECIFIED)
    assert len(ours(SPECIFIED)) == 6


label_values = st.text(
    st.characters(codec="utf-8", exclude_characters="\r\0\x85\u2028\u2029", exclude_categories=("Cs", "Cc"))
    | st.sampled_from('\n"\\{} ,'),
    max_size=12,
)
numbers = st.floats(allow_nan=False, allow_infinity=False, min_value=-1e12, max_value=1e12)


@given(
    st.lists(st.tuples(label_values, numbers), max_size=6, unique_by=lambda row: row[0]),
    numbers,
    st.lists(st.floats(0, 100), max_size=5),
)
@settings(deadline=None, max_examples=120)
def test_whatever_the_reference_writes_is_read_as_it_reads_it(
    rows: list[tuple[str, float]], value: float, seen: list[float]
) -> None:
    registry = CollectorRegistry()
    gauge = Gauge("gauge_a", "a gauge\nof two lines", ["of"], registry=registry)
    for of, number in rows:
        gauge.labels(of).set(number)
    Counter("counter_b", "counted", registry=registry).inc(abs(value))
    histogram = Histogram("spread_c", "spread", registry=registry)
    summary = Summary("sum_d", "summed", registry=registry)
    for number in seen:
        histogram.observe(number)
        summary.observe(number)
    text = generate_latest(registry).decode()  # type: ignore[no-untyped-call]
    assert ours(text) == theirs(text)
    rest = RejectedRows()
    read_openmetrics(text, rest)
    assert set(rest.reasons) <= {
        "the moment of creation is no figure",
        "a bucket of a histogram; its sum and count are taken",
    }


@given(st.text(max_size=200))
@settings(deadline=None, max_examples=200)
def test_no_text_breaks_it_and_no_line_is_lost(text: str) -> None:
    """Every line that holds something is a figure, a note about one, or named with its reason."""
    rest = RejectedRows()
    samples = read_openmetrics(f"{text}\n# EOF\n", rest)
    lines = [i for i, line in enumerate(text.split("\n"), 1) if line.strip() and line.strip() != "# EOF"]
    about = {i for i, line in enumerate(text.split("\n"), 1) if line.startswith("# ")}
    assert set(lines) - about <= {s.line for s in samples} | {n for n, _ in rest.listed}


def test_figures_by_minute_with_rates_and_reasons(store: Store, tmp_path: Path) -> None:
    text = """# TYPE pool_open gauge
pool_open{pool="a"} 4 1772442000
pool_open{pool="a"} 6 1772442030
pool_open{pool="a"} x 1772442031
# TYPE done counter
done_total 100 1772442000
done_total 160 1772442060
done_total 3 1772442120
what is this
# EOF
"""
    row = bring(store, tmp_path, text, "figures.txt")
    assert left(row) == [
        (4, "no number: x"), (6, "the first reading of what counts up has none to compare with"),
        (8, "it fell since the reading before, so it was reset between them"), (9, "no number: is"),
    ]  # fmt: skip
    frame = stored(store, "metric")
    assert frame["own.pool_open pool=a"].drop_nulls().to_list() == [5.0], "the mean of its minute"
    assert frame.select("at_us", "own.done per s").drop_nulls().rows() == [(1772442060_000000, 1.0)]
    again = bring(store, tmp_path, text.replace("what is", "what was"), "figures.txt")
    assert again.accepted == 0 and again.rejected["reasons"]["it is there already"] == 3
    assert stored(store, "metric").equals(frame)


def test_figures_without_a_time_are_of_now(store: Store, tmp_path: Path) -> None:
    bring(store, tmp_path, "# TYPE a gauge\na 4\n# EOF\n", "f")
    assert stored(store, "metric")["at_us"].to_list() == [NOW // 60_000_000 * 60_000_000]


@pytest.mark.parametrize("text", ["# TYPE a gauge\na 4\n", "# TYPE a gauge\na 4\n# EOF\nb 5\n"])
def test_a_text_that_is_cut_off_or_goes_on_is_said(text: str) -> None:
    rest = RejectedRows()
    assert [s.value for s in read_openmetrics(text, rest)] == [4.0]
    assert rest.count == 1
