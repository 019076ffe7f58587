"""Segments that were found damaged and are set aside."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "damaged_segment",
        sa.Column("segment_id", sa.Integer(), nullable=False),
        sa.Column("found_us", sa.Integer(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["segment_id"], ["segment.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("segment_id"),
    )


def downgrade() -> None:
    op.drop_table("damaged_segment")
