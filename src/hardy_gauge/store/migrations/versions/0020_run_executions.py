"""Every execution of the runs of a trial."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "run_executions",
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("run.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("body", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("run_executions")
