"""Columns by the field's standard names: accepted and rejected rows of imports, the CSRF token of a sign-in."""

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

RENAMED = (
    ("import", "taken", "accepted"), ("import", "left_count", "rejected_count"), ("import", "left", "rejected"),
    ("sign_in", "guard", "csrf_token"),
)  # fmt: skip


def upgrade() -> None:
    for table, before, after in RENAMED:
        op.execute(f'ALTER TABLE "{table}" RENAME COLUMN "{before}" TO "{after}"')
    op.execute("ALTER TABLE rule RENAME TO capture_rule")


def downgrade() -> None:
    op.execute("ALTER TABLE capture_rule RENAME TO rule")
    for table, before, after in RENAMED:
        op.execute(f'ALTER TABLE "{table}" RENAME COLUMN "{after}" TO "{before}"')
