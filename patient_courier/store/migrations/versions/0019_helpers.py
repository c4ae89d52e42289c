"""Helpers: invitations, and where somebody signed in from."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("sessions", sa.Column("place", sa.Text(), nullable=False, server_default=""))
    op.add_column("sessions", sa.Column("program", sa.Text(), nullable=False, server_default=""))
    op.add_column("sessions", sa.Column("seen", sa.BigInteger(), nullable=True))
    op.add_column("users", sa.Column("places", sa.Text(), nullable=False, server_default="[]"))
    op.create_table(
        "invitations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("email", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("token", sa.Text(), nullable=False),
        sa.Column("made", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_invitations"),
        sa.UniqueConstraint("token", name="uq_invitations_token"),
    )
