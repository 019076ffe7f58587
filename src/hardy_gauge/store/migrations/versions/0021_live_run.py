"""The run of a trial that goes on, second by second."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial", sa.Column("live", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("trial", "live")
