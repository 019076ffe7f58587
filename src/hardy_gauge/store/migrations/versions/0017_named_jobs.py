"""What people call a job that comes back, or that it is none."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "named_job",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("server_id", sa.Integer(), sa.ForeignKey("server.id", ondelete="CASCADE"), nullable=False),
        sa.Column("fingerprint", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False, server_default=""),
        sa.Column("dismissed", sa.Boolean(), nullable=False, server_default="0"),
        sa.UniqueConstraint("server_id", "fingerprint"),
    )
    op.create_index("ix_named_job_server_id", "named_job", ["server_id"])


def downgrade() -> None:
    op.drop_table("named_job")
