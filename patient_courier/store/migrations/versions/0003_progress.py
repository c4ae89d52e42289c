"""Progress in a course is kept, not counted each time."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

COUNT = """
    INSERT INTO progress (student_id, course, percent)
    SELECT student_id, :course, count(*) * 100 / :total FROM learnt
    WHERE at IS NOT NULL AND (kind || ' ' || key) IN (SELECT value FROM json_each(:outline))
    GROUP BY student_id
"""


def upgrade() -> None:
    op.create_table(
        "progress",
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("course", sa.Text(), nullable=False),
        sa.Column("percent", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_progress_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("student_id", "course", name=op.f("pk_progress")),
    )
    op.create_index("ix_progress_course_percent", "progress", ["course", "percent"])
    connection = op.get_bind()
    for key, body in connection.execute(sa.text("SELECT key, body FROM courses")).all():
        outline = [
            f"{kind} {key}/{one['key']}"
            for module in json.loads(body).get("modules", [])
            for kind, many in (("lesson", "lessons"), ("quiz", "quizzes"))
            for one in module.get(many, [])
        ]
        values = {"course": key, "total": max(len(outline), 1), "outline": json.dumps(outline)}
        connection.execute(sa.text(COUNT), values)
