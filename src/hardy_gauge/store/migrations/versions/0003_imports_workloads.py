"""imports, snapshots of counters, workloads, figures scraped beside a server"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "import",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("created_us", sa.Integer(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("content_key", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("detail", sa.String(), nullable=False),
        sa.Column("wanted", sa.JSON(), nullable=False),
        sa.Column("servers", sa.JSON(), nullable=False),
        sa.Column("taken", sa.Integer(), nullable=False),
        sa.Column("left_count", sa.Integer(), nullable=False),
        sa.Column("left", sa.JSON(), nullable=False),
        sa.Column("since_us", sa.Integer(), nullable=True),
        sa.Column("until_us", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "import_segment",
        sa.Column("segment_id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["segment_id"], ["segment.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"]),
        sa.PrimaryKeyConstraint("segment_id"),
    )
    op.create_index("ix_import_segment_import_id", "import_segment", ["import_id"])
    op.create_table(
        "counter_snapshot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("server_id", sa.Integer(), nullable=False),
        sa.Column("taken_us", sa.Integer(), nullable=False),
        sa.Column("started_us", sa.Integer(), nullable=False),
        sa.Column("noted_us", sa.Integer(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("values", sa.JSON(), nullable=False),
        sa.Column("levels", sa.JSON(), nullable=False),
        sa.Column("settings", sa.JSON(), nullable=False),
        sa.Column("statements", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["server_id"], ["server.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_counter_snapshot_server_id", "counter_snapshot", ["server_id"])
    op.create_table(
        "workload",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("statements", sa.JSON(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    # added in place: the tables are referred to, so they cannot be made anew
    op.execute("ALTER TABLE plan ADD COLUMN import_id INTEGER REFERENCES import (id)")
    op.add_column("server", sa.Column("scrapes", sa.JSON(), nullable=False, server_default="[]"))
