"""What sets a server back that a trial changes."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "way_back",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("server_id", sa.Integer(), sa.ForeignKey("server.id", ondelete="CASCADE"), nullable=False),
        sa.Column("trial_id", sa.Integer(), sa.ForeignKey("trial.id", ondelete="CASCADE"), nullable=True),
        sa.Column("account_id", sa.Integer(), sa.ForeignKey("account.id", ondelete="SET NULL"), nullable=True),
        sa.Column("database", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("commands", sa.JSON(), nullable=False),
        sa.Column("restart", sa.String(), nullable=False, server_default=""),
        sa.Column("owner", sa.JSON(), nullable=False),
        sa.Column("began_us", sa.Integer(), nullable=False),
        sa.Column("done_us", sa.Integer(), nullable=True),
        sa.Column("problem", sa.String(), nullable=False, server_default=""),
    )
    op.create_index("ix_way_back_server_id", "way_back", ["server_id"])
    op.create_index("ix_way_back_trial_id", "way_back", ["trial_id"])


def downgrade() -> None:
    op.drop_table("way_back")
