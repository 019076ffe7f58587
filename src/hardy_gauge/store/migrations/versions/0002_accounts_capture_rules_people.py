"""accounts, capture rules, people"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("user", sa.String(), nullable=False),
        sa.Column("secret", sa.LargeBinary(), nullable=False),
        sa.Column("groups", sa.JSON(), nullable=False),
        sa.Column("changed_us", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "audit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at_us", sa.Integer(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("action", sa.String(), nullable=False),
        sa.Column("object", sa.String(), nullable=False),
        sa.Column("detail", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.Column("password", sa.String(), nullable=False),
        sa.Column("created_us", sa.Integer(), nullable=False),
        sa.Column("barred", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "preference",
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("value", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    op.create_table(
        "rule",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("changed_us", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "sign_in",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("guard", sa.String(), nullable=False),
        sa.Column("created_us", sa.Integer(), nullable=False),
        sa.Column("seen_us", sa.Integer(), nullable=False),
        sa.Column("ends_us", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"],
            ["person.id"],
        ),
        sa.PrimaryKeyConstraint("key"),
    )
    with op.batch_alter_table("sign_in", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_sign_in_person_id"), ["person_id"], unique=False)

    op.create_table(
        "token",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("scope", sa.String(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("created_us", sa.Integer(), nullable=False),
        sa.Column("ends_us", sa.Integer(), nullable=False),
        sa.Column("used_us", sa.Integer(), nullable=True),
        sa.Column("withdrawn", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"],
            ["person.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("key"),
    )
    with op.batch_alter_table("token", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_token_person_id"), ["person_id"], unique=False)

    # added in place: the tables are referred to, so they cannot be made anew
    for name in ("doing", "why"):
        op.add_column("capture_state", sa.Column(name, sa.String(), nullable=False, server_default=""))
    for name in ("labels", "figures"):
        op.add_column("server", sa.Column(name, sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("server", sa.Column("retired_us", sa.Integer(), nullable=True))
    op.execute("ALTER TABLE server ADD COLUMN account_id INTEGER REFERENCES account (id)")
