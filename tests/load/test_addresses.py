"""An address that is no place for a trial is answered with what would be right."""

from __future__ import annotations

import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.connections import test_address as answers_of
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.targets import open_target
from hardy_gauge.probes.sqlpack.recognise import recognised
from hardy_gauge.store.database import Store
from tests.conftest import free_port
from tests.load.test_trials import PLAYED, changed
from tests.postgres import running_postgres


def refused(address: str) -> str:
    with pytest.raises(BadTrial) as caught:
        open_target(read_design(changed(PLAYED, "target.address", address)), None)
    assert caught.value.field == "target.address"
    assert "http://HOST:PORT/servers/NAME" in str(caught.value)
    return str(caught.value)


@pytest.mark.postgres
def test_the_port_of_a_database_is_recognised_by_what_answers(store: Store) -> None:
    with running_postgres("-c listen_addresses=127.0.0.1") as owner:
        address = f"http://127.0.0.1:{owner.info.port}"
        assert recognised(address) == "postgresql"
        assert "postgresql database" in refused(f"{address}/servers/x")
        tested = answers_of(store, address, "", 1, OPERATOR)
    assert not tested.answers and "write postgresql://host:port/database" in tested.words


@pytest.mark.parametrize(("address", "words"), [
    ("postgresql://127.0.0.1:5432/library", "address of a postgresql database"),
    ("ftp://127.0.0.1/x", "not the address of a probe"),
    ("lab-a", "not the address of a probe"),
    ("http://127.0.0.1:99999", "no probe answers there"),
])  # fmt: skip
def test_addresses_of_other_kinds(address: str, words: str) -> None:
    assert words in refused(address)


def test_a_page_that_is_no_probe_and_a_port_where_nothing_listens() -> None:
    class Page(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b"<h1>library</h1>")

        def log_message(self, *_: object) -> None:
            """Nothing on the tests' output."""

    with HTTPServer(("127.0.0.1", 0), Page) as page:
        threading.Thread(target=page.serve_forever, daemon=True).start()
        assert "no probe answers there" in refused(f"http://127.0.0.1:{page.server_port}/")
        page.shutdown()
    assert "nothing listens" in refused(f"http://127.0.0.1:{free_port()}/servers/x")
