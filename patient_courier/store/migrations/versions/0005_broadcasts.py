"""Broadcasts with their frozen lists, and audiences."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.columns import InstantColumn, Packed

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "broadcasts",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("body", Packed(), nullable=False),
        sa.Column("saved", InstantColumn(), nullable=False),
        sa.Column("due", InstantColumn(), nullable=True),
        sa.Column("not_before", InstantColumn(), nullable=True),
        sa.Column("started", InstantColumn(), nullable=True),
        sa.Column("ended", InstantColumn(), nullable=True),
        sa.Column("recipients", sa.Integer(), nullable=True),
        sa.Column("pace", sa.Integer(), nullable=True),
        sa.Column("next_slot", InstantColumn(), nullable=True),
        sa.Column("tested", sa.Integer(), nullable=True),
        sa.Column("tested_at", InstantColumn(), nullable=True),
        sa.Column("again_of", sa.Text(), nullable=True),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_broadcasts")),
    )
    op.create_table(
        "postings",
        sa.Column("broadcast", sa.Text(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("moment", InstantColumn(), nullable=False),
        sa.Column("due", InstantColumn(), nullable=True),
        sa.Column("too_late", sa.Boolean(), nullable=False),
        sa.Column("inside_since", InstantColumn(), nullable=True),
        sa.Column("held", Packed(), nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["broadcast"], ["broadcasts.key"], name=op.f("fk_postings_broadcast"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_postings_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("broadcast", "number", name=op.f("pk_postings")),
    )
    waiting = sa.text("NOT done")
    op.create_index("ix_postings_due", "postings", ["broadcast", "due", "number"], sqlite_where=waiting)
    op.create_index("ix_postings_student_id", "postings", ["student_id"])
    op.create_table(
        "audiences",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("saved", InstantColumn(), nullable=False),
        sa.Column("condition", Packed(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_audiences")),
    )
    op.add_column("deliveries", sa.Column("broadcast", sa.Text(), nullable=True))
    op.add_column("deliveries", sa.Column("course", sa.Text(), nullable=True))
    op.create_index(
        "ix_deliveries_broadcast",
        "deliveries",
        ["broadcast", "status"],
        sqlite_where=sa.text("broadcast IS NOT NULL"),
    )
