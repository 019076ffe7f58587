"""Accounts name the hosts they are for. Those of before keep the hosts of the servers that used them, and go on as they
were sent until now: also unencrypted.
"""

from urllib.parse import parse_qs, urlsplit

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("hosts", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("account", sa.Column("plain_text", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("account", sa.Column("certificate", sa.String(), nullable=False, server_default=""))
    accounts = sa.table(
        "account", sa.column("id"), sa.column("name"), sa.column("groups", sa.JSON()), sa.column("hosts", sa.JSON())
    )
    connection = op.get_bind()
    rows = list(connection.execute(sa.select(accounts.c.id, accounts.c.groups).order_by(accounts.c.name)))
    hosts: dict[int, set[str]] = {row.id: set() for row in rows}
    servers = sa.text(
        "SELECT s.address, s.account_id, s.labels, c.name AS cluster FROM server s JOIN cluster c ON c.id = s.cluster_id"
    ).columns(sa.column("address"), sa.column("account_id"), sa.column("labels", sa.JSON()), sa.column("cluster"))
    for server in connection.execute(servers):
        mine = {server.cluster, *(server.labels or [])}
        used = server.account_id or next((row.id for row in rows if mine & set(row.groups or [])), None)
        host = _host(server.address)
        if used in hosts and host:
            hosts[used].add(host)
    for number, found in hosts.items():
        connection.execute(sa.update(accounts).where(accounts.c.id == number).values(hosts=sorted(found)))


def _host(address: str) -> str:
    try:
        parts = urlsplit(address)
        folder = parse_qs(parts.query).get("host", [""])[0]
        return folder or (f"{parts.hostname}:{parts.port}" if parts.port else parts.hostname or "")
    except ValueError:
        return ""


def downgrade() -> None:
    for name in ("certificate", "plain_text", "hosts"):
        op.drop_column("account", name)
