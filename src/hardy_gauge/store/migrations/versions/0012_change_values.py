"""What a change was from and to, and who made it."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("before", "after", "who"):
        op.add_column("change", sa.Column(name, sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    for name in ("who", "after", "before"):
        op.drop_column("change", name)
