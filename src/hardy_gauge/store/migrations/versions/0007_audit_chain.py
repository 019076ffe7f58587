"""Lines of the audit log in a chain of hashes; the lines there are get theirs."""

import hashlib
import json

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("audit", sa.Column("previous", sa.String(), nullable=False, server_default=""))
    op.add_column("audit", sa.Column("hash", sa.String(), nullable=False, server_default=""))
    audit = sa.table(
        "audit", *(sa.column(name) for name in ("id", "at_us", "who", "action", "object", "previous", "hash")),
        sa.column("detail", sa.JSON()),
    )  # fmt: skip
    connection = op.get_bind()
    previous = "0" * 64
    for row in list(connection.execute(sa.select(audit).order_by(audit.c.id))):
        content = [previous, row.at_us, row.who, row.action, row.object, row.detail]
        found = hashlib.sha256(json.dumps(content, sort_keys=True, ensure_ascii=True).encode()).hexdigest()
        connection.execute(sa.update(audit).where(audit.c.id == row.id).values(previous=previous, hash=found))
        previous = found


def downgrade() -> None:
    op.drop_column("audit", "hash")
    op.drop_column("audit", "previous")
