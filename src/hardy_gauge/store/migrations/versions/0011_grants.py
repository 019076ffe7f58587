"""Roles for a cluster or a label, and people who may use an account."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "grant",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.UniqueConstraint("person_id", "kind", "name"),
    )
    op.add_column("account", sa.Column("people", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("account", "people")
    op.drop_table("grant")
