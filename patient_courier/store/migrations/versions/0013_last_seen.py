"""When a student was last seen, beside the student."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("students", sa.Column("last_seen", sa.BigInteger(), nullable=True))
    op.execute(
        "UPDATE students SET last_seen = (SELECT max(at) FROM activity WHERE activity.student_id = students.id)"
    )
    op.create_index("ix_students_last_seen", "students", ["last_seen", "id"])
