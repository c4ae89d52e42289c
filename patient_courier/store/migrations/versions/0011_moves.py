"""New addresses that wait for the old one to agree."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "moves",
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("before", sa.Text(), nullable=False),
        sa.Column("after", sa.Text(), nullable=False),
        sa.Column("due", InstantColumn(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_moves_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("student_id", name=op.f("pk_moves")),
    )
    op.create_index("ix_moves_due", "moves", ["due"])
