"""Certificates as they are printed: the number, the name, whether it stands."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "prints",
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("course", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=True),
        sa.Column("issued", InstantColumn(), nullable=False),
        sa.Column("revoked", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_prints_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("code", name=op.f("pk_prints")),
    )
    op.create_index(op.f("ix_prints_student_id"), "prints", ["student_id"])
    op.create_index("ix_prints_issued", "prints", ["issued"])
