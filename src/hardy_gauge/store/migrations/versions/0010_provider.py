"""People who sign in through a provider."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("person", sa.Column("subject", sa.String(), nullable=True))
    op.create_index("ix_person_subject", "person", ["subject"])


def downgrade() -> None:
    op.drop_index("ix_person_subject", table_name="person")
    op.drop_column("person", "subject")
