"""Answers that students write to letters, read from a mailbox; letters that are proved to have gone out in a lost time."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "replies",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=True),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name="fk_replies_student_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["deliveries.id"], name="fk_replies_delivery_id", ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_replies"),
        sa.UniqueConstraint("digest", name="uq_replies_digest"),
    )
    op.create_index("ix_replies_student_id", "replies", ["student_id"])
    op.create_index("ix_replies_delivery_id", "replies", ["delivery_id"])
    op.create_table(
        "proved",
        sa.Column("print", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("print", name="pk_proved"),
    )
