"""Many servers at once from lines, CSV and YAML: what is taken, and what is not and why."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.capture.registration import Registration
from hardy_gauge.capture.server_lists import read_list

A, B = "postgresql://a:5432/loans", "http://b:8741/servers/b"


def test_lines() -> None:
    found, refused = read_list(f"# the desks\n{A}\n\n  {B}  \n{A}\nnonsense\n")
    assert found == [Registration(A), Registration(B)]
    assert [(r.line, r.reason.split()[0]) for r in refused] == [(5, A), (6, "'nonsense'")]


# quoting, doubled quotes and line ends within a field: RFC 4180, section 2, rules 5 to 7
def test_csv() -> None:
    text = f'address,name,cluster,labels,account\r\n{A},"desk ""one""",desk,"east; night",watch\r\n{B},b\r\n,,,,\r\n"{B}",,"a\r\nb",,\r\n'
    found, refused = read_list(text)
    assert found == [
        Registration(A, 'desk "one"', "desk", ["east", "night"], "watch"),
        Registration(B, cluster="a\r\nb"),
    ]
    assert [(r.line, r.reason) for r in refused] == [(3, "5 fields were expected, not 2")]
    assert read_list("address,port\nx,1\n")[1][0].reason.startswith("unknown column 'port'")


def test_yaml() -> None:
    text = f"servers:\n  - {A}\n  - address: {B}\n    labels: [east]\n    name: 7\n  - name: lost\n  - {{address: {B}, port: 1}}\n"
    found, refused = read_list(text)
    assert found == [Registration(A), Registration(B, "7", labels=["east"])]
    assert [r.line for r in refused] == [6, 7] and "unknown key 'port'" in refused[1].reason
    assert read_list("- a: [\n- b")[1][0].reason.startswith("this is not YAML from here on")


@pytest.mark.parametrize("text", ["", "\n\n", "servers:", "- ", "servers: {a: b}", "servers: []"])
def test_nothing_to_take(text: str) -> None:
    assert read_list(text)[0] == []


@given(st.text(max_size=300) | st.text('-: \n",;[]{}aservdl/', max_size=100).map(lambda t: f"servers:\n{t}"))
def test_no_text_crashes_it(text: str) -> None:
    found, refused = read_list(text)
    assert all("://" in one.address for one in found) and all(r.line >= 1 and r.reason for r in refused)
