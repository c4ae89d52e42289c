"""Runs remember the trial they began with."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("runs", sa.Column("trial", sa.Text(), nullable=True))
    op.create_index(
        "ix_runs_trial",
        "runs",
        ["sequence", "trial", "student_id", "number"],
        sqlite_where=sa.text("trial IS NOT NULL"),
    )
