"""Sets of strips that people saved."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "saved_strips",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False, unique=True),
        sa.Column("bands", sa.JSON(), nullable=False),
        sa.Column("saved_by", sa.String(), nullable=False, server_default=""),
        sa.Column("saved_us", sa.Integer(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("saved_strips")
