"""Settings that are offered for a PostgreSQL that is made for the trial: those of its programs, each as the server itself takes it."""

from __future__ import annotations

import pytest

from hardy_gauge.load.design import read_design
from hardy_gauge.load.postgres.made import PostgresTarget
from hardy_gauge.load.setting_choices import choices_of_programs, postgresql_choice
from hardy_gauge.load.targets import Fleet, open_target

pytestmark = pytest.mark.postgres


def test_each_default_that_is_offered_can_be_given_to_an_arm() -> None:
    offered = choices_of_programs()
    by_name = {one.name: one for one in offered}
    assert len(offered) > 100 and by_name["shared_buffers"].restart and not by_name["work_mem"].restart
    assert by_name["work_mem"].default == "4MB" and by_name["work_mem"].range.startswith("64kB to ")
    assert by_name["enable_seqscan"].choices == ["off", "on"] and "local" in (
        by_name["synchronous_commit"].choices or []
    )
    assert by_name["random_page_cost"].number and not by_name["checkpoint_timeout"].number
    assert "archive_command" not in by_name and "data_directory" not in by_name
    settings = {one.name: one.default for one in offered}
    document = {
        "title": "all", "goal": {"metric": "p95", "at_most": "1 s"}, "target": {"postgresql": {"sample": "library"}},
        "workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT 1"}]},
        "arms": [{"name": "control"}, {"name": "as it is, said", "settings": settings}], "run": {"seconds": "1 s", "blocks": 2},
    }  # fmt: skip
    target = open_target(read_design(document), Fleet(None))
    try:
        assert isinstance(target, PostgresTarget)
        frame = target.run(read_design(document).arms[1], 1.0, 1, lambda _: True)
    finally:
        target.close()
    assert len(frame) > 100


def test_a_switch_is_a_choice() -> None:
    one = {"name": "jit", "value": True, "unit": None, "minimum": None, "maximum": None, "choices": None, "applies": "at once", "description": ""}  # fmt: skip
    assert postgresql_choice(one).choices == ["off", "on"] and postgresql_choice(one).default == "on"
