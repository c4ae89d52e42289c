"""What was changed, by whom; what stands in it is not written over."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "changes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("lines", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=True),
        sa.Column("before", sa.Text(), nullable=True),
        sa.Column("after", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name="fk_changes_student_id_students", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_changes"),
    )
    op.create_index("ix_changes_at", "changes", ["at"])
    op.create_index("ix_changes_student_id", "changes", ["student_id"])
    op.execute(
        "CREATE TRIGGER changes_stay BEFORE UPDATE ON changes BEGIN "
        "SELECT RAISE(ABORT, 'What was changed is written down once.'); END"
    )
