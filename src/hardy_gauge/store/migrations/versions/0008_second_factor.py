"""The second factor of people, and where browsers that are signed in came from."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("person", sa.Column("totp", sa.LargeBinary(), nullable=True))
    op.add_column("person", sa.Column("totp_step", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("person", sa.Column("recovery", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("sign_in", sa.Column("client", sa.String(), nullable=False, server_default=""))
    op.add_column("sign_in", sa.Column("browser", sa.String(), nullable=False, server_default=""))
    op.add_column("sign_in", sa.Column("confirmed_us", sa.Integer(), nullable=False, server_default="0"))


def downgrade() -> None:
    for name in ("confirmed_us", "browser", "client"):
        op.drop_column("sign_in", name)
    for name in ("recovery", "totp_step", "totp"):
        op.drop_column("person", name)
