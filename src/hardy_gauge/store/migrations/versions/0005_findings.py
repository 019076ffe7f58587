"""Findings with their life, and what each server's diagnosis could not look at."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("server_id", sa.Integer(), nullable=False),
        sa.Column("cause", sa.String(), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("since_us", sa.Integer(), nullable=False),
        sa.Column("seen_us", sa.Integer(), nullable=False),
        sa.Column("ended_us", sa.Integer(), nullable=True),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["server_id"], ["server.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_finding_server_id", "finding", ["server_id"])
    op.create_table(
        "diagnosis_state",
        sa.Column("server_id", sa.Integer(), nullable=False),
        sa.Column("first_us", sa.Integer(), nullable=False),
        sa.Column("at_us", sa.Integer(), nullable=False),
        sa.Column("unknown", sa.JSON(), nullable=False),
        sa.Column("error", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["server_id"], ["server.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("server_id"),
    )


def downgrade() -> None:
    op.drop_table("diagnosis_state")
    op.drop_index("ix_finding_server_id", table_name="finding")
    op.drop_table("finding")
