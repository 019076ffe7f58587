"""Which segments meet a span is told by the index alone."""

from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("segment_bounds", "segment", ["server_id", "kind", "start_us", "end_us", "rows"])
    op.drop_index("segment_find", "segment")


def downgrade() -> None:
    op.create_index("segment_find", "segment", ["server_id", "kind", "start_us"])
    op.drop_index("segment_bounds", "segment")
