"""Drafts that can't be read yet; letters that were sent again by hand."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("sequences", sa.Column("unfinished", sa.Text(), nullable=True))
    op.add_column("deliveries", sa.Column("again_of", sa.Integer(), nullable=True))
    op.add_column("deliveries", sa.Column("sent_by", sa.Text(), nullable=True))
