"""Spans of the past that were diagnosed on demand, and findings of which it is not known when they were over."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "diagnosed_span",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("server_id", sa.Integer(), sa.ForeignKey("server.id", ondelete="CASCADE"), nullable=False),
        sa.Column("from_us", sa.Integer(), nullable=False),
        sa.Column("until_us", sa.Integer(), nullable=False),
        sa.Column("unknown", sa.JSON(), nullable=False),
    )
    op.add_column("finding", sa.Column("open_end", sa.Boolean(), nullable=False, server_default="0"))
    op.create_index("ix_diagnosed_span_server_id", "diagnosed_span", ["server_id"])


def downgrade() -> None:
    op.drop_column("finding", "open_end")
    op.drop_table("diagnosed_span")
