"""Broadcasts with their frozen lists, audiences, imports, and what students have agreed to."""

import sqlalchemy as sa
from alembic import op

from patient_courier.store.base.columns import InstantColumn, Packed

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
        sa.Column("audience", sa.Text(), nullable=True),
        sa.Column("audience_saved", InstantColumn(), nullable=True),
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
    op.create_table(
        "consents",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("course", sa.Text(), nullable=True),
        sa.Column("how", sa.Text(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_consents_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_consents")),
    )
    op.create_index(op.f("ix_consents_student_id"), "consents", ["student_id"])
    op.create_table(
        "imports",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", InstantColumn(), nullable=False),
        sa.Column("file", sa.Text(), nullable=False),
        sa.Column("new", sa.Integer(), nullable=False),
        sa.Column("changed", sa.Integer(), nullable=False),
        sa.Column("refused", sa.Integer(), nullable=False),
        sa.Column("undone", InstantColumn(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_imports")),
    )
    op.create_table(
        "imported",
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("student_id", sa.Integer(), nullable=False),
        sa.Column("fresh", sa.Boolean(), nullable=False),
        sa.Column("before", Packed(), nullable=False),
        sa.ForeignKeyConstraint(
            ["import_id"], ["imports.id"], name=op.f("fk_imported_import_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["student_id"], ["students.id"], name=op.f("fk_imported_student_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("import_id", "student_id", name=op.f("pk_imported")),
    )
    op.create_index(op.f("ix_imported_student_id"), "imported", ["student_id"])
    op.create_table(
        "erased",
        sa.Column("of", sa.Text(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("outcome", sa.Text(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("of", "step", "outcome", name=op.f("pk_erased")),
    )
    op.create_index(
        "ix_students_shown_name",
        "students",
        [sa.text("lower(coalesce(nullif(first_name, ''), email))"), "id"],
    )
    op.create_index("ix_students_first_event", "students", ["first_event"])
