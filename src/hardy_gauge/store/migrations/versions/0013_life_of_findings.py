"""Findings that came back, were noted, or set aside with a reason."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

TIMES = ("before_us", "noted_us", "aside_us")
WORDS = ("noted_by", "aside_by", "aside_reason")


def upgrade() -> None:
    for name in TIMES:
        op.add_column("finding", sa.Column(name, sa.Integer(), nullable=True))
    for name in WORDS:
        op.add_column("finding", sa.Column(name, sa.String(), nullable=False, server_default=""))
    op.add_column("finding", sa.Column("aside_weight", sa.Double(), nullable=True))


def downgrade() -> None:
    for name in ("aside_weight", *WORDS, *TIMES):
        op.drop_column("finding", name)
