"""Rules of people about log messages."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "log_rule",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("pattern", sa.String(), nullable=False, unique=True),
        sa.Column("takes", sa.String(), nullable=False),
        sa.Column("made_by", sa.String(), nullable=False, server_default=""),
        sa.Column("made_us", sa.Integer(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("log_rule")
