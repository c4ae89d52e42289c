"""what was reported and under which id, pauses, kept rehearsals"""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

# What a course site, the post or the owner reports; everything else the core derives.
REPORTED = [
    "purchased",
    "refunded",
    "enrolled",
    "lesson_started",
    "lesson_watched",
    "lesson_completed",
    "quiz_taken",
    "signed_in",
    "signed_up",
    "letter_opened",
    "link_clicked",
    "answered",
    "news_stopped",
    "course_help_stopped",
    "bounced",
    "complained",
    "certificate_approved",
]


def upgrade() -> None:
    with op.batch_alter_table("events") as events:
        events.add_column(sa.Column("reported", sa.Boolean(), nullable=False, server_default=sa.false()))
        events.add_column(sa.Column("reported_id", sa.Text(), nullable=True))
        events.create_index("ix_events_type_at", ["type", "at"])
    # Tags in older schools were only changed by offers and steps, so none of those was reported.
    names = ", ".join(f"'{name}'" for name in REPORTED)
    op.execute(f"UPDATE events SET reported = 1 WHERE cause IS NULL AND type IN ({names})")
    with op.batch_alter_table("students") as students:
        students.add_column(
            sa.Column("news_at_first", sa.Boolean(), nullable=False, server_default=sa.false())
        )
    op.execute(
        "UPDATE students SET news_at_first = news OR id IN "
        "(SELECT student_id FROM events WHERE type = 'news_stopped')"
    )
    with op.batch_alter_table("runs") as runs:
        runs.add_column(sa.Column("arriving", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("sequences") as sequences:
        sequences.add_column(sa.Column("paused_after", sa.Integer(), nullable=True))
    with op.batch_alter_table("deliveries") as deliveries:
        deliveries.create_index("ix_deliveries_letter_student_id_at", ["letter", "student_id", "at"])
    op.create_index(
        "ix_learnt_done", "learnt", ["student_id", "kind", "key"], sqlite_where=sa.text("at IS NOT NULL")
    )
    op.create_table(
        "calls",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("run", sa.Integer(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("round", sa.Text(), nullable=False),
        sa.Column("url", sa.Text(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=True),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("retry", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calls")),
        sa.UniqueConstraint("run", "step", "round", name=op.f("uq_calls_run_step_round")),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_calls_student_id"), ondelete="CASCADE"
        ),
    )
    op.create_index("ix_calls_student_id", "calls", ["student_id"])
    op.create_index("ix_calls_queued", "calls", ["id"], sqlite_where=sa.text("status = 'queued'"))
    op.create_table(
        "kept_rehearsals",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sequence", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("saved", InstantColumn(), nullable=False),
        sa.Column("body", Packed(), nullable=False),
        sa.Column("outcome", Packed(), nullable=False),
        sa.Column("seen", Packed(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_rehearsals")),
        sa.ForeignKeyConstraint(
            ["sequence"],
            ["sequences.key"],
            name=op.f("fk_kept_rehearsals_sequence"),
            ondelete="CASCADE",
        ),
    )
    op.create_index("ix_kept_rehearsals_sequence", "kept_rehearsals", ["sequence"])
