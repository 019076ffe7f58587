"""A store with one server."""

from __future__ import annotations

import pytest

from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster, Server


@pytest.fixture
def server(store: Store) -> int:
    with store.write() as session:
        cluster = Cluster(name="c")
        session.add(cluster)
        session.flush()
        row = Server(name="s", cluster_id=cluster.id, role="single", engine="practice", engine_version="1", address="x")
        session.add(row)
        session.flush()
        return row.id
